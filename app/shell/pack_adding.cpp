// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/pack_adding.h"

#include <QFileInfo>

#include "app/session/help_words.h"
#include "core/base/number.h"
#include "core/packs/pack_library.h"

namespace imprimo::app {

void PackAdding::add(const QString& file) {
  waiting_ << file;
  if (!busy_) next();
}

void PackAdding::next() {
  const QString file = waiting_.takeFirst();
  busy_ = true;
  emit bench_.message(tr("Reading %1 …").arg(QFileInfo(file).fileName()), false);
  work_ = std::jthread([this, file] {
    QString text;
    bool wrong = false;
    try {
      const packs::IndexedPack pack = packs::addPack(file.toStdString());
      text = tr("%1 %2 is in the library of packs now, with %3. A sheet names one of them by \"chip\".")
                 .arg(QString::fromStdString(pack.name), QString::fromStdString(pack.version),
                      QString::fromStdString(countText(pack.devices.size(), "device")));
    } catch (const Error& e) {
      text = told(e);
      wrong = true;
    }
    QMetaObject::invokeMethod(
        this, [this, text, wrong] { done(text, wrong); }, Qt::QueuedConnection);
  });
}

void PackAdding::done(const QString& text, bool wrong) {
  busy_ = false;
  emit bench_.message(text, wrong);
  if (!waiting_.isEmpty()) next();
}

}  // namespace imprimo::app
