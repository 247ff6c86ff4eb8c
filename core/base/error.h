// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <new>
#include <optional>
#include <stdexcept>
#include <string>
#include <system_error>

#include "core/base/visible_text.h"

namespace imprimo {

/// Only what a caller branches on; the exit codes of the command line follow from these.
enum class ErrorKind {
  Usage,          ///< asked for something that cannot be: bad option, range outside, overlap
  BadFile,        ///< an input file is missing or is not what it should be
  NoProbe,        ///< no probe, or it refuses to work
  BrokenChain,    ///< no parts answer, or the scan chain does not hold together
  LinkLost,       ///< the connection went away, or what comes back is no answer
  ChainMismatch,  ///< the parts found are not those of the sheet
  NoBridge,       ///< nothing speaks the bridge's protocol
  UnknownFlash,   ///< the memory does not say what it is, and no part card does
  Refused,        ///< it can be known beforehand that this would not do what was asked
  NotErased,      ///< a block still holds data after an erase command
  NotProgrammed,  ///< a byte does not hold what was programmed
  CannotWrite,    ///< a result cannot be stored on this computer
  NoStore,        ///< the store of records and numbers cannot be reached
  Stopped,        ///< the user stopped it
  Internal,       ///< a fault of this program
};

/// The kind's name as it stands in JSON output: "no-probe", "chain-mismatch" and so on.
const char* nameOf(ErrorKind kind);

/// What would help, where how it is asked for differs between the programs: each has its own words for it, which name
/// an option or a control.
enum class Help {
  None,
  ReadLarge,        ///< read an image file that is larger than images usually are
  PlaceFile,        ///< name a file and its address
  AllowErase,       ///< let blocks be erased
  ClearProtection,  ///< let the block protection be cleared for the run
  NameScratch,      ///< name a block whose bytes may be erased and put back
  GiveContents,     ///< give what the memory holds, as it was read back
  AnyPart,          ///< write a copy into a part with another ID
  IdentifyFirst,    ///< connect the memory once, and keep in the sheet what it says
  LeaveLoading,     ///< write vectors without the loading of the bridge
  ListProbes,       ///< see which probes there are and what keeps them
  InstallRule,      ///< install the udev rule
  ReleaseProbe,     ///< take the probe (its argument: the address) away from the kernel's driver
  NameProbe,        ///< say which probe is meant
  Unlock,           ///< open a core's memory (its argument: the core)
  Permanent,        ///< say that a configuration word may lock permanently
  GiveToken,        ///< give the file with the token of a shared probe
};
const char* nameOf(Help help);

/// What went wrong, where, and what to try. what() is a sentence for people with addresses and both values.
class Error : public std::runtime_error {
 public:
  /// Both may quote what comes from elsewhere: its control characters are made visible here.
  Error(ErrorKind kind, const std::string& sentence, const std::string& remedy = {})
      : std::runtime_error(visibleLines(sentence)), kind_(kind), remedy_(visibleLines(remedy)) {}

  ErrorKind kind() const { return kind_; }
  /// What to try; empty when there is nothing to add.
  const std::string& remedy() const { return remedy_; }
  /// Sentence and remedy in one line.
  std::string full() const;

  /// The memory address at which the work stood, when there was one.
  std::optional<std::uint64_t> at() const { return at_; }
  /// The sentence names it.
  Error& setAt(std::uint64_t address) {
    at_ = address;
    namesPlace_ = true;
    return *this;
  }
  /// The sentence says nothing of it.
  Error& stoodAt(std::uint64_t address) {
    at_ = address;
    return *this;
  }
  bool namesPlace() const { return namesPlace_; }

  /// Its words say already that nothing was touched.
  Error& untouched() {
    untouched_ = true;
    return *this;
  }
  bool saysUntouched() const { return untouched_; }

  Help help() const { return help_; }
  const std::string& helpWith() const { return helpWith_; }
  Error& setHelp(Help help, std::string argument = {}) {
    help_ = help;
    helpWith_ = std::move(argument);
    return *this;
  }

 private:
  ErrorKind kind_;
  std::string remedy_;
  std::optional<std::uint64_t> at_;
  bool namesPlace_ = false, untouched_ = false;
  Help help_ = Help::None;
  std::string helpWith_;
};

/// What was thrown that nobody expected, as an error of kind Internal that says so.
Error faultOf(const std::exception& unexpected);

/// Calls `act`; what it throws that is no Error comes out as faultOf() has it. Want of memory and what the system
/// refuses are no faults of this program, and pass.
template <typename Act>
auto guarded(Act&& act) {
  try {
    return act();
  } catch (const Error&) {
    throw;
  } catch (const std::bad_alloc&) {
    throw;
  } catch (const std::system_error&) {
    throw;
  } catch (const std::exception& e) {
    throw faultOf(e);
  }
}

}  // namespace imprimo
