// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/help_words.h"

#include <fmt/format.h>

namespace imprimo::ctl {

std::string helpText(Help help, const std::string& with) {
  switch (help) {
    case Help::None:
      break;
    case Help::ReadLarge:
      return "--large reads it all the same.";
    case Help::PlaceFile:
      return "Or name it with --place FILE@ADDRESS.";
    case Help::AllowErase:
      return "Leave out --no-erase.";
    case Help::ClearProtection:
      return "Leave out --leave-protection, and the run clears it and puts it back.";
    case Help::NameScratch:
      return "--range names it.";
    case Help::GiveContents:
      return "--contents names it.";
    case Help::AnyPart:
      return "To write it all the same, add --any-part.";
    case Help::IdentifyFirst:
      return "'imprimoctl identify --save' does that.";
    case Help::LeaveLoading:
      return "--no-load leaves it out.";
    case Help::ListProbes:
      return "'imprimoctl probes' lists those that are there and says what keeps them.";
    case Help::InstallRule:
      return "'imprimoctl probes --install-rule' does that.";
    case Help::ReleaseProbe:
      return fmt::format("'imprimoctl probes --release {}' does that.", with);
    case Help::NameProbe:
      return "--probe names it, for example --probe tcp:HOST:PORT.";
    case Help::Unlock:
      return fmt::format("'imprimoctl unlock SHEET {}' says what opens it, and what that destroys.", with);
    case Help::Permanent:
      return "--permanent says so, or \"permanent\": true in the sheet.";
    case Help::GiveToken:
      return "--token-file FILE gives it, - from standard input.";
  }
  return {};
}

std::string withHelp(std::string message, Help help, const std::string& with) {
  const std::string words = helpText(help, with);
  if (words.empty()) return message;
  return message + (message.ends_with('.') ? " " : ". ") + words;
}

std::string withHelp(const Error& error) {
  return withHelp(error.full(), error.help(), error.helpWith());
}

}  // namespace imprimo::ctl
