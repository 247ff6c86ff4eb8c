// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/guide/guide_page.h"

#include <QFile>
#include <QJsonDocument>
#include <QRegularExpression>

namespace imprimo::test {

namespace {

/// Without empty lines before and behind it.
QString bare(QString text) {
  static const QRegularExpression kAround("\\A\\n+|\\s+\\z");
  return text.remove(kAround);
}

}  // namespace

QString masked(QString answer) {
  static const QRegularExpression kTook("^( *\\d+  .*?) +[0-9.]+ m?s\\b", QRegularExpression::MultilineOption);
  static const QRegularExpression kWhen("\\b20\\d{6}-\\d{6}-\\d+|\\b20\\d\\d-\\d\\d-\\d\\d[ T][0-9:.]+Z?");
  static const QRegularExpression kOnce("\\b[0-9a-f]{64}\\b|\\b[0-9a-f]{8}-[0-9a-f]{4}\\b|(?<=tcp:)127[0-9.:]+");
  return answer.replace(kTook, "\\1  …").replace(kWhen, "…").replace(kOnce, "…");
}

GuidePage::GuidePage(const QString& file) : path(file) {
  QFile page(file);
  if (page.open(QIODevice::ReadOnly)) lines = QString::fromUtf8(page.readAll()).split('\n');
  static const QRegularExpression kBench("^<!-- bench: (\\S+)(?: in: (\\S+))?(?: with: (.*?))? -->$");
  bool inside = false;
  for (int i = 0; i < lines.size(); ++i) {
    const QString& line = lines[i];
    if (const auto match = kBench.match(line); match.hasMatch()) {
      bench = match.captured(1), folder = match.captured(2);
      with = QJsonDocument::fromJson(match.captured(3).toUtf8()).object();
    } else if (line.startsWith("```")) {
      inside = line == "```console";
    } else if (inside && line.startsWith("$ ")) {
      commands.push_back({line.mid(2), {}, i, i + 1});
    } else if (inside && !commands.empty()) {
      commands.back().answer += line + '\n';
      commands.back().end = i + 1;
    }
  }
}

QString GuidePage::withAnswers(const QStringList& all) const {
  QStringList now = lines;
  for (std::size_t n = commands.size(); n-- > 0;) {
    const GuideCommand& command = commands[n];
    now.remove(command.at + 1, command.end - command.at - 1);
    const QStringList told = bare(all[static_cast<qsizetype>(n)]).split('\n');
    for (qsizetype k = told.size(); k-- > 0;) {
      if (!told[k].isEmpty() || told.size() > 1) now.insert(command.at + 1, told[k]);
    }
  }
  return now.join('\n');
}

bool answers(const QString& page, const QString& told) {
  QString pattern;
  for (const QString& line : bare(page).split('\n')) {
    if (line.trimmed() == "…") {
      pattern += "(?:[^\\n]*\\n)*?";
      continue;
    }
    QStringList parts = line.split("…");
    for (QString& part : parts) part = QRegularExpression::escape(part);
    pattern += parts.join("[^\\n]*?") + "\\n";
  }
  return QRegularExpression("\\A" + pattern + "\\z").match(bare(told) + "\n").hasMatch();
}

}  // namespace imprimo::test
