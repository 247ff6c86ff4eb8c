// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDir>
#include <QFile>
#include <QString>

namespace imprimo::test {

/// A folder with all that is in it, to be changed freely.
inline void copyFolder(const QString& from, const QString& to) {
  QDir().mkpath(to);
  for (const QFileInfo& info : QDir(from).entryInfoList(QDir::Files | QDir::Dirs | QDir::NoDotAndDotDot)) {
    const QString target = to + "/" + info.fileName();
    info.isDir() ? copyFolder(info.filePath(), target) : (void)QFile::copy(info.filePath(), target);
  }
}

}  // namespace imprimo::test
