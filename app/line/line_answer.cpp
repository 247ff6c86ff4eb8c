// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/line/line_answer.h"

#include <QCoreApplication>

#include "core/base/number.h"

namespace imprimo::app {
namespace {

using Phase = line::Phase;
using Result = line::BoardResult;

QString tr(const char* text) {
  return QCoreApplication::translate("LineAnswer", text);
}

QString orElse(const std::string& text, const QString& otherwise) {
  return text.empty() ? otherwise : QString::fromStdString(text);
}

QString underFor(const Result& result) {
  const QString took = QString::fromStdString(durationText(result.seconds));
  if (result.kind == Result::Kind::Good)
    return result.unit ? tr("Unit %1, in %2.").arg(result.unit->id).arg(took) : tr("In %1.").arg(took);
  if (!result.changed)
    return result.unit && result.unit->state == "void"
               ? tr("Nothing was written. Number %1 is never used.").arg(result.unit->id)
               : tr("Nothing was written, and no number was spent.");
  return result.unit ? tr("Something was written. Number %1 is spent.").arg(result.unit->id)
                     : tr("Something was written.");
}

/// What the last board came to, which stands until the next begins.
void showLast(LineAnswer& answer, const Result& result, const release::LineRules& rules) {
  const bool good = result.kind == Result::Kind::Good;
  answer.kind = good ? LineAnswer::Kind::Good : LineAnswer::Kind::Failed;
  answer.word = good ? tr("Done") : result.kind == Result::Kind::Stopped ? tr("Stopped") : tr("Failed");
  answer.sentence = QString::fromStdString(result.sentence);
  answer.under = underFor(result);
  answer.next = good ? orElse(rules.afterGood, tr("Take the board out, and put the next one in."))
                     : orElse(rules.afterFailed, tr("Put this board aside, and take the next one."));
  QStringList details;
  for (const std::string& line : result.details) details += QString::fromStdString(line);
  if (!good) answer.details = details.join("\n");
}

}  // namespace

LineAnswer answerAt(const LinePlace& place, const release::LineRules& rules) {
  LineAnswer answer;
  answer.word = tr("Ready");
  answer.next = tr("Put a board in.");
  if (place.last() && place.last()->kind != Result::Kind::Halted) showLast(answer, *place.last(), rules);
  switch (place.phase()) {
    case Phase::Running:
      answer = {};
      answer.kind = LineAnswer::Kind::Busy;
      answer.word = tr("Busy");
      answer.sentence = place.step();
      answer.next = tr("Leave the board in.");
      answer.button = tr("Stop");
      answer.canAct = true;
      answer.part = place.part();
      break;
    case Phase::AsksField:
      // A field's name is one word; anything else says what was wrong.
      if (!place.last() || place.sentence().contains(' ')) {
        answer = {};
        answer.kind = LineAnswer::Kind::Scan;
        answer.word = tr("Scan");
        if (place.sentence().contains(' ')) answer.sentence = place.sentence();
      }
      answer.next =
          place.sentence().contains(' ') ? tr("Scan again.") : tr("Scan %1 of the next board.").arg(place.sentence());
      answer.button = tr("Waiting for a code…");
      break;
    case Phase::AwaitsBoard:
      if (!place.sentence().isEmpty()) answer.next = place.sentence();
      answer.button = place.last() ? tr("Waiting for the next board…") : tr("Waiting for a board…");
      break;
    case Phase::AwaitsKey:
      answer.button = tr("Begin");
      answer.canAct = true;
      break;
    case Phase::AwaitsRemoval:
      answer.button = tr("Waiting for this board to be taken out…");
      break;
    case Phase::Halted:
      answer = {};
      answer.kind = LineAnswer::Kind::Halt;
      answer.word = tr("Halt");
      answer.sentence = place.sentence();
      answer.under = tr("No board can be done here until that is put right.");
      answer.next = tr("Put it right, and try again.");
      answer.button = tr("Try again");
      answer.canAct = true;
      if (place.last() && !place.last()->details.empty())
        answer.details = QString::fromStdString(place.last()->details.back());
      break;
    case Phase::Ended:
      answer.button = tr("Ended");
      break;
  }
  return answer;
}

}  // namespace imprimo::app
