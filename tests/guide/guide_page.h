// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QJsonObject>
#include <QString>
#include <QStringList>
#include <vector>

namespace imprimo::test {

/// A command of a page of the guide, and what it is said to answer.
struct GuideCommand {
  QString line, answer;
  int at = 0;   ///< of the page's lines, from 0: the command
  int end = 0;  ///< behind the last line of its answer
};

/// A page of the guide. Blocks of "```console" have commands behind "$ ", each with its answer; a comment
/// `<!-- bench: FILE [in: FOLDER] [with: JSON] -->` says on which bench of the demo they are given, in which folder,
/// and what is changed in the bench's file before.
struct GuidePage {
  explicit GuidePage(const QString& path);
  /// The page with other answers, one for each command.
  QString withAnswers(const QStringList& answers) const;

  QString path, bench, folder;
  QJsonObject with;
  QStringList lines;
  std::vector<GuideCommand> commands;
};

/// An answer with "…" for what is another one each time: how long steps took, and when.
QString masked(QString answer);

/// "…" in the page stands for anything in a line, and alone in a line for any lines.
bool answers(const QString& page, const QString& told);

}  // namespace imprimo::test
