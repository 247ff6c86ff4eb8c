// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/option_help.h"

namespace imprimo::ctl {

const char* const kPieceHelp =
    "FILE[@ADDRESS][,option]...: reversed, swap16, swap32, after, align=N|block, pad=N|block, cut=A..B, "
    "format=bin|hex|srec|elf, card=WRAPPER-CARD. FILE may be pattern:0xA5+4K, pattern:counting+4K, "
    "pattern:random:SEED+4K or pattern:text:WORDS+4K";

void addSheet(OptionList& own, std::string& sheet) {
  own.option("SHEET", sheet, "the job sheet").required();
}

void addSheetAndMemory(OptionList& own, SheetOptions& options) {
  addSheet(own, options.sheet);
  own.option("MEMORY", options.memory, "the memory's name in the sheet; can be left out where there is one");
}

void addCore(OptionList& own, SheetOptions& options) {
  own.option("--core", options.core, "the core's name in the sheet; can be left out where there is one")
      .typeName("NAME");
}

void addRanges(OptionList& own, std::vector<std::string>& ranges, const char* what) {
  own.option("--range", ranges, what).typeName("A..B|A+N").oneEach();
}

void addPlaces(OptionList& own, std::vector<std::string>& places) {
  own.option("--place", places, "FILE[@ADDRESS][,reversed] instead of the sheet's files; can be repeated")
      .typeName("PIECE")
      .oneEach();
}

void addImageUse(OptionList& own, ImageUse& use) {
  own.option("--for", use.use, "look it over for a configuration flash or a core's memory").typeName("flash|core");
  own.option("--sync", use.sync, "how a bitstream begins, in digits").typeName("BYTES");
  own.option("--ram", use.ram, "where the core's stack may be").typeName("A..B|A+N");
  own.option("--block", use.block, "the part's erase block, for align=block").typeName("N");
}

void addProtection(OptionList& own, bool& leave) {
  own.flag("--leave-protection", leave, "refuse what the part protects, instead of clearing and restoring it");
}

void addEarlier(OptionList& own, RunOptions& options) {
  own.flag("--finish-earlier", options.finishEarlier, "an earlier run that did not end was on this board: finish it");
  own.flag("--forget-earlier", options.forgetEarlier, "it was on another board: forget it");
}

void addDryRun(OptionList& own, RunOptions& options) {
  own.flag("--dry-run", options.dryRun, "only look and plan; change nothing");
}

}  // namespace imprimo::ctl
