// SPDX-License-Identifier: GPL-3.0-or-later
//
// The guide in the terminal, and the help of commands by another way.
#include <fmt/format.h>

#include <algorithm>
#include <ostream>
#include <regex>

#include "core/base/error.h"
#include "core/base/json.h"
#include "ctl/command.h"
#include "ctl/command_line.h"
#include "ctl/guide_pages.h"
#include "ctl/json_out.h"
#include "ctl/usage_sentence.h"

namespace imprimo::ctl {
namespace {

struct HelpOptions : CommonOptions {
  std::string topic;
};

void addOptions(OptionList& own, HelpOptions& options) {
  own.option("TOPIC", options.topic, "a command, or a page of the guide; none: list them");
}

/// A page as it is read in a terminal: without what is for tests, and with links as their words.
std::string readable(std::string_view page) {
  static const std::regex kComment("<!--[^>]*-->\n*"), kLink(R"(\[([^\]]*)\]\([^)]*\))"), kFence("(^|\n)```[a-z]*");
  std::string text = std::regex_replace(std::string(page), kComment, "");
  text = std::regex_replace(text, kLink, "$1");
  return std::regex_replace(text, kFence, "$1");
}

std::string titleOf(std::string_view page) {
  const std::string_view line = page.substr(0, page.find('\n'));
  return std::string(line.substr(std::min(line.size(), line.find_first_not_of("# "))));
}

void list(std::ostream& out) {
  out << "Commands:\n";
  for (const CommandRow& row : commandTable()) out << fmt::format("  {:<24}{}\n", row.name, row.what);
  out << "\nPages of the guide:\n";
  for (const GuidePage& page : guidePages()) out << fmt::format("  {:<24}{}\n", page.name, titleOf(page.text));
}

int runHelp(const HelpOptions& options, const Context& context) {
  if (options.topic.empty()) {
    list(context.out);
    return 0;
  }
  std::vector<std::string> names;
  for (const CommandRow& row : commandTable()) {
    if (options.topic == row.name) return runCommandLine({row.name, "--help"}, context.out, context.err, context.stop);
    names.emplace_back(row.name);
  }
  for (const GuidePage& page : guidePages()) {
    if (options.topic == page.name) {
      const std::string text = readable(page.text);
      if (options.json) {
        print(context, {{"page", page.name}, {"text", text}});
      } else {
        context.out << text;
      }
      return 0;
    }
    names.emplace_back(page.name);
  }
  const auto meant = nearestWord(options.topic, names);
  throw Error(ErrorKind::Usage, fmt::format("there is no command and no page '{}'", options.topic),
              meant ? fmt::format("Is '{}' meant?", *meant) : "'imprimoctl help' lists them.");
}

}  // namespace

CommandRow helpCommand() {
  return commandRow<HelpOptions>("help", "commands and pages of the guide, or one of them", addOptions, runHelp);
}

}  // namespace imprimo::ctl
