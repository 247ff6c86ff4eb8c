// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/help_words.h"

#include <QCoreApplication>

namespace imprimo::app {
namespace {

QString helpText(Help help) {
  const auto tr = [](const char* text) { return QCoreApplication::translate("Help", text); };
  switch (help) {
    case Help::PlaceFile:
      return tr("Drop it on the Bench.");
    case Help::AllowErase:
      return tr("Switch off “without erasing”.");
    case Help::NameScratch:
      return tr("Put the cursor into it; the menu “more” offers it then.");
    case Help::AnyPart:
      return tr("To write it all the same, switch on “also into a part with another ID”.");
    case Help::ListProbes:
    case Help::NameProbe:
      return tr("Ctrl+K shows the probes.");
    case Help::InstallRule:
    case Help::ReleaseProbe:
      return tr("Ctrl+K shows the probe, with a button for it.");
    case Help::GiveContents:
      return tr("Read the memory, and switch on “keep what the memory holds, as far as read”.");
    case Help::IdentifyFirst:
      return tr("The menu “more” has the part and its card.");
    case Help::LeaveLoading:
      return tr("Switch off “load the bridge first”.");
    case Help::Unlock:
      return tr("The Bench has a button for it.");
    case Help::Permanent:
      return tr("The page of the configuration words asks for it, or \"permanent\": true in the sheet.");
    case Help::None:
    case Help::ReadLarge:  // what only the command line does needs no words here
    case Help::ClearProtection:
    case Help::GiveToken:
      break;
  }
  return {};
}

}  // namespace

QString withHelp(const QString& message, Help help) {
  const QString words = helpText(help);
  if (words.isEmpty()) return message;
  return message + (message.endsWith('.') ? " " : ". ") + words;
}

QString told(const Error& error) {
  return withHelp(QString::fromStdString(error.full()), error.help());
}

}  // namespace imprimo::app
