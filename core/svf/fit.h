// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/bsdl/boundary_description.h"
#include "core/svf/reader.h"

namespace imprimo::svf {

/// A device that is on the chain, or that a sheet says is.
struct ChainDevice {
  std::string name;
  std::uint32_t irLength = 0;                              ///< 0: not known
  std::optional<std::uint32_t> idcode;                     ///< nothing: BYPASS is selected after a reset
  const bsdl::BoundaryDescription* description = nullptr;  ///< null: none is known
};

/// Which instruction each part of a chain holds while a file is gone through, and what that means for data scans.
/// devices[0] is next to TDI.
class ChainView {
 public:
  /// `instructionBits`, where the total is known though not each length.
  explicit ChainView(std::vector<ChainDevice> devices, std::uint32_t instructionBits = 0);

  const std::vector<ChainDevice>& devices() const { return devices_; }
  /// Of all devices; 0 where that is not known.
  std::uint32_t instructionBits() const { return instructionBits_; }
  void reset();
  /// All of an instruction scan, padding included, as it is shifted. Of another length than the chain's it makes all
  /// that is known unknown.
  void instruct(const BitVector& scan);

  struct Held {
    BitVector code;    ///< empty: not known
    std::string name;  ///< "BYPASS", "FABRIC_A"; empty where nothing names it
    bool bypass = false, idcode = false;
  };
  const std::vector<Held>& held() const { return held_; }
  /// "BYPASS, FABRIC_A, BYPASS"; digits for what has no name.
  std::string instructionText() const;
  /// The only device that is not in BYPASS, as index; nothing where there are others, or it is not known.
  std::optional<std::size_t> addressed() const;

  /// What a data scan of `size` bits brings out, where that is known: as long as all devices are in BYPASS or show
  /// their IDCODE. What comes behind all registers is not in it.
  std::optional<BitVector> predicted(std::size_t size) const;
  /// The device that bit `bit` of a scan comes from, as index: of a data scan with so many bits of header and trailer
  /// around its own. Nothing where that is not known.
  std::optional<std::size_t> deviceOfDataBit(std::size_t bit, std::size_t total) const;
  std::optional<std::size_t> deviceOfInstructionBit(std::size_t bit) const;

 private:
  Held heldFor(const ChainDevice& device, const BitVector& code) const;

  std::vector<ChainDevice> devices_;
  std::uint32_t instructionBits_ = 0;
  bool lengthsKnown_ = false;
  std::vector<Held> held_;
};

/// All of a scan's bits with its padding, as the reader has them now.
BitVector wholeScan(const Reader& reader, Field scan);

/// Looks into the beginning of a file, up to the first data scan whose answer depends on more than IDCODEs. Returns the
/// reason, with file and line, where the chain cannot be the one that it was made for. Throws BadFile.
std::optional<std::string> misfit(Reader& reader, ChainView chain);

}  // namespace imprimo::svf
