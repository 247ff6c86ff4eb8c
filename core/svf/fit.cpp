// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/svf/fit.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "core/svf/padded_scan.h"

namespace imprimo::svf {
namespace {

constexpr std::size_t kIdcodeBits = 32;
/// A file that has not come to a data scan by then is let be.
constexpr int kMostLooked = 100000;
constexpr std::size_t kMostPredicted = 1 << 16;

bool allOnes(const BitVector& bits) {
  return extentOf(bits).size() == bits.size() && onesIn(bits) == bits.size();
}

}  // namespace

ChainView::ChainView(std::vector<ChainDevice> devices, std::uint32_t instructionBits)
    : devices_(std::move(devices)), instructionBits_(instructionBits) {
  lengthsKnown_ = std::none_of(devices_.begin(), devices_.end(), [](const ChainDevice& p) { return p.irLength == 0; });
  std::uint32_t sum = 0;
  for (const ChainDevice& device : devices_) sum += device.irLength;
  if (lengthsKnown_) instructionBits_ = sum;
  reset();
}

void ChainView::reset() {
  held_.assign(devices_.size(), {});
  for (std::size_t i = 0; i < devices_.size(); ++i) {
    held_[i].idcode = devices_[i].idcode.has_value();
    held_[i].bypass = !held_[i].idcode;
    held_[i].name = held_[i].idcode ? "IDCODE" : "BYPASS";
  }
}

ChainView::Held ChainView::heldFor(const ChainDevice& device, const BitVector& code) const {
  Held held;
  held.code = code;
  held.bypass = allOnes(code);
  if (device.description != nullptr) {
    for (const bsdl::Instruction& instruction : device.description->instructions) {
      if (device.description->opcode(instruction.name) != code) continue;
      held.name = instruction.name;
      break;
    }
  }
  if (held.bypass) held.name = "BYPASS";
  held.idcode = held.name == "IDCODE" && device.idcode;
  return held;
}

void ChainView::instruct(const BitVector& scan) {
  if (!lengthsKnown_ || scan.size() != instructionBits_) {
    held_.assign(devices_.size(), {});
    return;
  }
  // The first bits end up in the device nearest TDO.
  std::size_t at = 0;
  for (std::size_t i = devices_.size(); i-- > 0;) {
    held_[i] = heldFor(devices_[i], scan.slice(at, devices_[i].irLength));
    at += devices_[i].irLength;
  }
}

std::string ChainView::instructionText() const {
  std::string text;
  for (const Held& held : held_) {
    if (!text.empty()) text += ", ";
    text += !held.name.empty() ? held.name : held.code.empty() ? "?" : held.code.digits();
  }
  return text;
}

std::optional<std::size_t> ChainView::addressed() const {
  std::optional<std::size_t> only;
  for (std::size_t i = 0; i < held_.size(); ++i) {
    if (held_[i].bypass) continue;
    if (only || (held_[i].code.empty() && !held_[i].idcode)) return std::nullopt;
    only = i;
  }
  return only;
}

std::optional<BitVector> ChainView::predicted(std::size_t size) const {
  BitVector bits;
  for (std::size_t i = devices_.size(); i-- > 0 && bits.size() < size;) {
    if (held_[i].bypass) {
      bits.append(false);
    } else if (held_[i].idcode) {
      bits.appendBits(*devices_[i].idcode, kIdcodeBits);
    } else {
      return std::nullopt;
    }
  }
  return bits.size() > size ? bits.slice(0, size) : bits;
}

std::optional<std::size_t> ChainView::deviceOfDataBit(std::size_t bit, std::size_t total) const {
  if (const auto target = addressed()) {
    const std::size_t behind = devices_.size() - 1 - *target;
    if (bit < behind) return devices_.size() - 1 - bit;
    if (bit + *target >= total) return total - 1 - bit;
    return target;
  }
  std::size_t begins = 0;
  for (std::size_t i = devices_.size(); i-- > 0;) {
    if (!held_[i].bypass && !held_[i].idcode) return std::nullopt;
    begins += held_[i].bypass ? 1 : kIdcodeBits;
    if (bit < begins) return i;
  }
  return std::nullopt;
}

std::optional<std::size_t> ChainView::deviceOfInstructionBit(std::size_t bit) const {
  std::size_t begins = 0;
  for (std::size_t i = devices_.size(); i-- > 0;) {
    if (devices_[i].irLength == 0) return std::nullopt;
    begins += devices_[i].irLength;
    if (bit < begins) return i;
  }
  return std::nullopt;
}

BitVector wholeScan(const Reader& reader, Field scan) {
  const bool instruction = scan == Field::Sir;
  const PaddedScan all(reader.value(instruction ? Field::Hir : Field::Hdr), reader.value(scan),
                       reader.value(instruction ? Field::Tir : Field::Tdr));
  return all.tdi({0, all.size()});
}

namespace {

/// The first compared bit that cannot be.
std::optional<std::size_t> firstWrong(const PaddedScan& scan, const BitVector& predicted) {
  const jtag::BitRange range{0, predicted.size()};
  const BitVector tdo = scan.tdo(range), mask = scan.mask(range);
  for (std::size_t i = 0; i < predicted.size(); ++i) {
    if (mask[i] && tdo[i] != predicted[i]) return i;
  }
  return std::nullopt;
}

std::string wrongDevice(const ChainView& chain, const PaddedScan& scan, const BitVector& predicted, std::size_t bit) {
  const auto device = chain.deviceOfDataBit(bit, scan.size());
  if (!device) return fmt::format("bit {} of the scan should be {}", bit, predicted[bit] ? 0 : 1);
  const ChainDevice& p = chain.devices()[*device];
  if (!chain.held()[*device].idcode) {
    return fmt::format("the file expects part {} ({}) to have an IDCODE, and it has none", *device + 1, p.name);
  }
  std::size_t begins = 0;
  for (std::size_t i = chain.devices().size() - 1; i > *device; --i) begins += chain.held()[i].bypass ? 1 : kIdcodeBits;
  const std::size_t count = std::min(kIdcodeBits, predicted.size() - begins);
  const jtag::BitRange range{begins, begins + count};
  const auto mask = static_cast<std::uint32_t>(scan.mask(range).bits(0, count));
  const auto wanted = static_cast<std::uint32_t>(scan.tdo(range).bits(0, count));
  return fmt::format("the file expects part {} to be {}{}, found {} ({})", *device + 1, hexIdcode(wanted & mask),
                     mask == 0xFFFFFFFF ? "" : fmt::format(" (under mask {})", hexIdcode(mask)), hexIdcode(*p.idcode),
                     p.name);
}

}  // namespace

std::optional<std::string> misfit(Reader& reader, ChainView chain) {
  Statement s;
  for (int looked = 0; looked < kMostLooked && reader.next(s); ++looked) {
    const bool resets = (s.kind == Statement::Kind::State &&
                         std::count(s.path.begin(), s.path.end(), jtag::TapState::TestLogicReset) > 0) ||
                        (s.kind == Statement::Kind::Trst && s.trst == Trst::On);
    if (resets) chain.reset();
    if (s.kind != Statement::Kind::Scan) continue;
    if (s.field == Field::Sir) {
      const std::size_t bits =
          reader.value(Field::Hir).length + reader.value(Field::Sir).length + reader.value(Field::Tir).length;
      if (chain.instructionBits() != 0 && bits != chain.instructionBits()) {
        return reader
            .error(s.place, fmt::format("the instruction scan has {} bits ({} + {} + {}), the chain's instruction "
                                        "registers have {}",
                                        bits, reader.value(Field::Hir).length, reader.value(Field::Sir).length,
                                        reader.value(Field::Tir).length, chain.instructionBits()))
            .what();
      }
      chain.instruct(wholeScan(reader, Field::Sir));
      continue;
    }
    const PaddedScan scan(reader.value(Field::Hdr), reader.value(Field::Sdr), reader.value(Field::Tdr));
    const auto predicted = chain.predicted(std::min(scan.size(), kMostPredicted));
    if (!predicted) return std::nullopt;
    if (!scan.hasTdo()) continue;
    if (const auto bit = firstWrong(scan, *predicted))
      return reader.error(s.place, wrongDevice(chain, scan, *predicted, *bit)).what();
  }
  return std::nullopt;
}

}  // namespace imprimo::svf
