// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/bytes.h"
#include "core/bsdl/boundary_description.h"
#include "core/configure/config_data.h"

namespace imprimo::configure {

/// Where a device tells how it is: a register behind an instruction, or what Capture-IR leaves; bit 0 comes out first.
struct StatusRegister {
  struct Bit {
    std::uint32_t number = 0;
    std::string name;
    bool trouble = false;  ///< when it is set, something is wrong
  };
  std::string instruction;  ///< empty: Capture-IR
  std::uint32_t size = 0;
  std::vector<Bit> bits;  ///< those that have names, by number
  const Bit* find(std::string_view name) const;
};

/// Status bits and what they should be.
struct StatusWish {
  std::vector<std::pair<std::uint32_t, bool>> bits;
  bool holds(const BitVector& status) const;
  /// "done = 1, crc error = 0"; with `status` only those that are otherwise, as they are.
  std::string text(const StatusRegister& in, const BitVector* status = nullptr) const;
};

struct CardStep {
  enum class Kind {
    Do,      ///< an instruction, perhaps with a value, then clocks and time
    Data,    ///< the file's bits, then clocks and time
    Until,   ///< the status is looked at until it is as wished
    Expect,  ///< the status is looked at once
    Reset,   ///< Test-Logic-Reset
    Play,    ///< a file of vectors
  };
  Kind kind = Kind::Do;
  std::string instruction;
  BitVector value;  ///< Do: what is shifted in; empty: nothing
  std::uint32_t clocks = 0;
  double seconds = 0;
  StatusWish wish;
  double atMost = 0;           ///< Until: seconds
  std::filesystem::path file;  ///< Play
  std::string title;           ///< as the card has it, or made from the step
  std::string path;            ///< in the card: "configure[2]"
};

/// How a device without IEEE 1532 is configured, how it tells what became of it, and how it is made to start from its
/// flash (docs/formats/configuration-card.md).
struct ConfigCard {
  /// A number in the bitstream, so many bytes behind its sync word.
  struct Number {
    std::uint64_t at = 0;
    unsigned size = 4;
    bool lowFirst = false;
  };
  std::string name, entity, fileName;  ///< entity: of the BSDL file
  bool highBitFirst = true;
  std::optional<std::uint64_t> bits;  ///< exactly so many
  Bytes sync;
  std::optional<Number> idcode;      ///< the device that the bitstream is for
  std::optional<Number> designCode;  ///< the user code that the design will have
  std::optional<Number> length;      ///< bytes from the sync word to the end
  std::optional<StatusRegister> status;
  std::optional<StatusWish> runs;     ///< what the status says while a design runs
  std::optional<StatusWish> secured;  ///< while the device does not let itself be read
  std::string usercode = "USERCODE";
  std::vector<CardStep> configure, restart;
  /// Whether its steps for configuring shift a file's bits.
  bool takesFile() const;
};

/// Instructions are looked up in `device`. Throws BadFile with the key's path and line.
ConfigCard parseConfigCard(std::string_view text, const std::string& fileName, const bsdl::BoundaryDescription& device);
ConfigCard readConfigCard(const std::filesystem::path& path, const bsdl::BoundaryDescription& device);
/// The BSDL entity that a text says it is a card for; nothing where it is no card.
std::optional<std::string> entityOfCard(std::string_view text);

/// A number of a bitstream's header; nothing where its sync word is not in `bytes`, or too close to the end.
std::optional<std::uint64_t> numberIn(const ConfigCard& card, const ConfigCard::Number& number, ByteSpan bytes);

/// Throws BadFile where the bitstream's header says that it is for another device than those of `idcodes`, where it is
/// too short or too long, or where its sync word is missing.
void checkData(const ConfigCard& card, const ConfigData& data, const std::vector<bsdl::Pattern>& idcodes);

}  // namespace imprimo::configure
