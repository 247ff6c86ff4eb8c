// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/verdict.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"

namespace imprimo::run {
namespace {

std::string shown(const Difference& difference, std::uint8_t value) {
  return difference.secret ? "a secret byte" : hexByte(value);
}

constexpr const char* kProtectedGuess =
    "It looks as if the part protects it (a guess: nothing names this part's protection bits). Look at its status "
    "register and its "
    "WP pin.";

std::string reachedText(const Reached& reached) {
  std::string text;
  const auto add = [&](const RangeSet& set, const char* is) {
    if (set.empty()) return;
    const auto ranges = set.ranges();
    text += fmt::format("{}{} {} ({})", text.empty() ? "" : ", ", sizeText(set.size()), is,
                        rangeText({ranges.front().begin, ranges.back().end}));
  };
  add(reached.written, "written");
  add(reached.unwritten, "erased and still to be written");
  if (text.empty()) add(reached.erased, "erased");
  add(reached.uncertain, "perhaps changed in part");
  add(reached.pattern, "with a test pattern or blank");
  return text;
}

/// The bytes that nobody planned to change and that are not there now.
std::string missingText(const Reached& reached) {
  RangeSet gone;
  for (const AddressRange& others : reached.others) {
    for (const RangeSet* set : {&reached.unwritten, &reached.uncertain}) {
      for (const AddressRange& r : set->ranges()) {
        if (r.overlaps(others)) gone.add(r.cut(others));
      }
    }
  }
  std::string text;
  for (const AddressRange& r : gone.ranges()) {
    const bool kept =
        std::any_of(reached.kept.begin(), reached.kept.end(), [&](const AddressRange& k) { return k.overlaps(r); });
    text += fmt::format("{}{}{}", text.empty() ? "" : ", ", kept ? "the kept bytes in " : "", rangeText(r));
  }
  return text;
}

}  // namespace

Outcome outcomeOf(ErrorKind kind, bool changed) {
  if (changed || kind == ErrorKind::Stopped) return Outcome::Stopped;
  switch (kind) {
    case ErrorKind::ChainMismatch:
    case ErrorKind::NoBridge:
    case ErrorKind::UnknownFlash:
    case ErrorKind::Refused:
      return Outcome::Refused;
    default:
      return Outcome::Failed;
  }
}

Outcome outcomeOf(const plan::Wanted& wanted, const Record& record) {
  for (const Looked& looked : record.looked) {
    if (!looked.asExpected()) return Outcome::Mismatch;
  }
  if (record.heard && !record.heard->seen) return Outcome::Mismatch;
  switch (wanted.task) {
    case plan::Task::Program:
      return wanted.noVerify || !record.claims.asPlanned() ? Outcome::Programmed : Outcome::Verified;
    case plan::Task::Erase:
      return Outcome::Erased;
    case plan::Task::Read:
      return record.first ? Outcome::Mismatch : Outcome::Read;
    case plan::Task::Trial:
      return record.trial && record.trial->sound() ? Outcome::Sound : Outcome::NotSound;
    case plan::Task::Verify:
      return record.first ? Outcome::Mismatch : Outcome::Match;
    case plan::Task::Reach:
    case plan::Task::SetRegisters:
      return Outcome::Done;
    case plan::Task::Blank:
      return record.first ? Outcome::NotBlank : Outcome::Blank;
  }
  return Outcome::Failed;
}

bool isSecret(const plan::Wanted& wanted, std::uint64_t address) {
  return std::any_of(wanted.secret.begin(), wanted.secret.end(), [&](const AddressRange& range) {
    return range.contains({address, address + 1});
  });
}

Error notErased(const std::string& memory, const AddressRange& block, std::uint64_t address, std::uint8_t found,
                std::optional<std::uint8_t> before) {
  const bool unchanged = before && *before == found;
  return Error(ErrorKind::NotErased,
               fmt::format("{}: block {} did not {}: {} holds {} where FF should be", memory, rangeText(block),
                           unchanged ? "change when it was erased" : "erase", hexAddress(address), hexByte(found)),
               unchanged ? kProtectedGuess : "The part may be worn out, or its supply too low for erasing.")
      .setAt(address);
}

Error notAsPlanned(const std::string& memory, const AddressRange& block, const Difference& first,
                   std::uint64_t differences, const MemoryImage& before, const MemoryImage& now,
                   const Reached& addressed) {
  const std::string values = fmt::format("{} should hold {} and holds {}", hexAddress(first.address),
                                         shown(first, first.expected), shown(first, first.found));
  const std::string more = differences > 1 ? fmt::format("; {} bytes differ in all", differences) : "";
  const bool erased = addressed.erased.overlaps(block), written = addressed.written.overlaps(block);
  if (!erased && !written) {
    return Error(ErrorKind::NotProgrammed,
                 fmt::format("{}: block {} was not changed in this run and is not as planned: {}{}", memory,
                             rangeText(block), values, more),
                 "It changed since it was read: look for somebody else who writes to it, and run it again.")
        .setAt(first.address);
  }
  bool changedAtAll = !before.touches(block);
  for (const MemoryImage::Segment& s : before.segmentsIn(block)) {
    for (std::size_t i = 0; i < s.bytes.size(); ++i) changedAtAll = changedAtAll || now.at(s.begin + i) != s.bytes[i];
  }
  if (!changedAtAll) {
    return Error(ErrorKind::NotProgrammed,
                 fmt::format("{}: block {} did not change: {}{}", memory, rangeText(block), values, more),
                 kProtectedGuess)
        .setAt(first.address);
  }
  if ((first.expected & ~first.found) != 0 && erased) {
    return Error(ErrorKind::NotErased,
                 fmt::format("{}: {} did not erase: {}{}", memory, hexAddress(first.address), values, more),
                 "A bit stays 0 after an erase: the block may be worn out. Use another part, or place the data "
                 "elsewhere.")
        .setAt(first.address);
  }
  return Error(ErrorKind::NotProgrammed,
               fmt::format("{}: {} would not program: {}{}", memory, hexAddress(first.address), values, more),
               "A bit stays 1 after a program command: the byte may be worn out, or the supply too low.")
      .setAt(first.address);
}

std::string failureMessage(const Error& error, const Record& record, const Reached& reached) {
  std::string text = error.what();
  if (error.at() && !error.namesPlace()) text += fmt::format(" at {}", hexAddress(*error.at()));
  if (!error.remedy().empty()) text += ". " + error.remedy();
  if (!text.ends_with('.')) text += '.';
  if (record.claims.addressed.empty()) return text + " " + untouchedText(record.claims, record.memory);
  const std::string holds = reachedText(reached), missing = missingText(reached);
  if (!holds.empty()) text += fmt::format(" {} now holds: {}; nothing else was addressed", record.memory, holds);
  if (error.kind() == ErrorKind::LinkLost && error.at() && !holds.empty()) {
    text += fmt::format(" (what was on its way at {} may or may not have arrived)", hexAddress(*error.at()));
  }
  if (!text.ends_with('.')) text += '.';
  if (!missing.empty()) text += fmt::format(" Not yet put back: {}; the next run does that first.", missing);
  if (!record.backup.empty()) text += fmt::format(" What was there is saved in {}.", record.backup.string());
  return text;
}

namespace {

/// How much of it was compared, and what of the rest is known.
std::string confirmedText(const Claims& claims, std::uint64_t confirmed, bool noVerify) {
  if (noVerify) {
    return confirmed == 0
               ? "; not confirmed."
               : fmt::format("; what was planned is not confirmed, {} put back and confirmed.", sizeText(confirmed));
  }
  if (!claims.asPlanned()) return "; not confirmed.";
  std::string text = fmt::format(", {} confirmed by reading back.", sizeText(confirmed));
  if (!claims.proven.empty())
    text += fmt::format(" {} were read before, and {} since.", sizeText(claims.proven.size()), claims.provenBy);
  return text;
}

/// What a run proved, without the bookmarks.
std::string provenText(const plan::Wanted& wanted, const Record& record, const RangeSet& erased) {
  const Claims& claims = record.claims;
  if (!record.changed) {
    if (!claims.asPlanned()) return fmt::format("{}: nothing was written and nothing compared.", wanted.memory);
    return fmt::format("{} already {}: nothing had to be written.", wanted.memory,
                       wanted.task == plan::Task::Erase ? "is blank there" : "holds what is planned");
  }
  std::string text = wanted.memory + ":";
  if (!erased.empty()) text += fmt::format(" {} erased,", sizeText(erased.size()));
  if (record.bytes > 0) text += fmt::format(" {} written,", sizeText(record.bytes));
  if (text.back() == ',') text.pop_back();
  text += confirmedText(claims, record.confirmed, wanted.noVerify);
  return text;
}

std::string bytesText(const Bytes& bytes) {
  std::string text;
  for (const std::uint8_t b : bytes) {
    if (text.size() >= 3 * 16) return text + " …";
    text += fmt::format("{}{:02X}", text.empty() ? "" : " ", b);
  }
  return text;
}

std::string lookedText(const Record& record) {
  std::string text;
  for (const Looked& l : record.looked) {
    if (l.asExpected()) continue;
    text += fmt::format(" The bookmark \"{}\" at {} should hold {} and holds {}.", l.name, hexAddress(l.address),
                        bytesText(l.expected), bytesText(l.found));
  }
  return text;
}

std::string mismatchText(const plan::Wanted& wanted, const Record& record) {
  if (!record.first) return {};
  if (wanted.task == plan::Task::Read) {
    return fmt::format(
        "Two reads of {} differ at {}: {}, then {}; {} bytes differ. Lower the clock or shorten the cable.",
        wanted.memory, hexAddress(record.first->address), shown(*record.first, record.first->expected),
        shown(*record.first, record.first->found), record.differences);
  }
  return fmt::format("{} differs at {}: should hold {}, holds {}; {} of {} bytes differ.", wanted.memory,
                     hexAddress(record.first->address), shown(*record.first, record.first->expected),
                     shown(*record.first, record.first->found), record.differences, record.bytes);
}

}  // namespace

std::string successMessage(const plan::Wanted& wanted, const Record& record, const plan::Plan& plan,
                           const RangeSet& erased) {
  if (record.outcome == Outcome::Planned && plan.blocks.empty() && wanted.load && !plan.complete) {
    return fmt::format(
        "{} is reached through {}, whose bridge is not loaded: what there is to do is known when it is; nothing was "
        "changed.",
        wanted.memory, wanted.load->part);
  }
  if (record.outcome == Outcome::Planned) {
    return fmt::format("{}: {} to erase, {} to write, about {}; nothing was changed.", wanted.memory,
                       countText(plan.count(plan::BlockFate::Erase) + plan.count(plan::BlockFate::Renew), "block"),
                       sizeText(plan.bytesToWrite()), durationText(plan.seconds()));
  }
  switch (record.outcome) {
    case Outcome::Match:
      return fmt::format("{} holds what is planned: {} compared.", wanted.memory, sizeText(record.bytes));
    case Outcome::Blank:
      return fmt::format("{} is blank: {} looked at.", wanted.memory, sizeText(record.bytes));
    case Outcome::NotBlank:
      return fmt::format("{} is not blank: {} holds {}, {} bytes are not FF.", wanted.memory,
                         hexAddress(record.first->address), shown(*record.first, record.first->found),
                         record.differences);
    case Outcome::Mismatch:
      if (record.first) return mismatchText(wanted, record) + lookedText(record);
      if (wanted.task == plan::Task::Verify)
        return fmt::format("{} holds what is planned: {} compared.", wanted.memory, sizeText(record.bytes)) +
               lookedText(record);
      return provenText(wanted, record, erased) + lookedText(record);
    case Outcome::Sound:
    case Outcome::NotSound:
      return fmt::format(
          "{} {}: {}. The block is restored.", wanted.memory,
          record.outcome == Outcome::Sound ? "passed the test on this bench" : "failed the test on this bench",
          record.trial->text());
    case Outcome::Done:
      if (wanted.task == plan::Task::SetRegisters) {
        return fmt::format("{}: {} written and read back.", wanted.memory,
                           countText(wanted.registers.size(), "register"));
      }
      return fmt::format("{} answers.", wanted.memory);
    case Outcome::Read:
      return fmt::format("Read {} of {}{}.", sizeText(record.bytes), wanted.memory,
                         wanted.twice ? ", twice, and both reads are the same" : "");
    default:
      break;
  }
  return provenText(wanted, record, erased);
}

}  // namespace imprimo::run
