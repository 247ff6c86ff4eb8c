// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/option_help.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "ctl/usage_sentence.h"

namespace imprimo::ctl {

const char* const kPieceHelp =
    "FILE[@ADDRESS][,option]...: reversed, swap16, swap32, after, align=N|block, pad=N|block, cut=A..B, "
    "format=bin|hex|srec|elf, card=WRAPPER-CARD. FILE may be pattern:0xA5+4K, pattern:counting+4K, "
    "pattern:random:SEED+4K or pattern:text:WORDS+4K";

CLI::Validator numberFrom(std::uint64_t least, std::uint64_t most) {
  return {[=](std::string& text) { return takeWholeNumber(text, least, most); }, "", ""};
}

CLI::Validator oneOf(std::vector<std::string> words) {
  return {[words = std::move(words)](const std::string& text) -> std::string {
            if (std::find(words.begin(), words.end(), text) != words.end()) return {};
            return fmt::format("takes {}, not '{}'", fmt::join(words, ", "), text);
          },
          "", ""};
}

void addSheet(CLI::App& own, std::string& sheet) {
  own.add_option("SHEET", sheet, "the job sheet")->required();
}

void addSheetAndMemory(CLI::App& own, SheetOptions& options) {
  addSheet(own, options.sheet);
  own.add_option("MEMORY", options.memory, "the memory's name in the sheet; can be left out where there is one");
}

void addRanges(CLI::App& own, std::vector<std::string>& ranges, const char* what) {
  own.add_option("--range", ranges, what)->type_name("A..B|A+N")->allow_extra_args(false);
}

void addPlaces(CLI::App& own, std::vector<std::string>& places) {
  own.add_option("--place", places, "FILE[@ADDRESS][,reversed] instead of the sheet's files; can be repeated")
      ->type_name("PIECE")
      ->allow_extra_args(false);
}

void addImageUse(CLI::App& own, ImageUse& use) {
  own.add_option("--for", use.use, "look it over for a configuration flash or a core's memory")
      ->type_name("flash|core");
  own.add_option("--sync", use.sync, "how a bitstream begins, in digits")->type_name("BYTES");
  own.add_option("--ram", use.ram, "where the core's stack may be")->type_name("A..B|A+N");
  own.add_option("--block", use.block, "the part's erase block, for align=block")->type_name("N");
}

void addProtection(CLI::App& own, bool& leave) {
  own.add_flag("--leave-protection", leave, "refuse what the part protects, instead of clearing and restoring it");
}

void addEarlier(CLI::App& own, RunOptions& options) {
  own.add_flag("--finish-earlier", options.finishEarlier,
               "an earlier run that did not end was on this board: finish it");
  own.add_flag("--forget-earlier", options.forgetEarlier, "it was on another board: forget it");
}

void addDryRun(CLI::App& own, RunOptions& options) {
  own.add_flag("--dry-run", options.dryRun, "only look and plan; change nothing");
}

}  // namespace imprimo::ctl
