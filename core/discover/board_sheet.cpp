// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/discover/board_sheet.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "core/sheet/sheet_changes.h"

namespace imprimo::discover {
namespace {

std::vector<KnownLength> fromCapture(const ChainSplit& split, const std::vector<ToldRegister>& told) {
  std::vector<KnownLength> lengths;
  for (std::size_t i = 0; i < split.registers.size(); ++i) {
    const ChainSplit::Register& one = split.registers[i];
    lengths.push_back({one.length, told[i].length == 0 && !one.lengthCertain, one.placeCertain});
  }
  return lengths;
}

/// By bounds and sum alone.
std::vector<KnownLength> fromBounds(const jtag::FoundChain& chain, const std::vector<ToldRegister>& told) {
  std::vector<KnownLength> lengths;
  std::vector<std::uint32_t> room;  // how much longer each may be
  std::uint32_t sum = 0;
  for (std::size_t i = 0; i < chain.devices.size(); ++i) {
    const jtag::LengthBounds bounds = chain.devices[i].irLength;
    const std::uint32_t known = told[i].length != 0 ? told[i].length : bounds.certain() ? bounds.min : 0;
    lengths.push_back({known != 0 ? known : bounds.min, known == 0});
    room.push_back(known != 0 ? 0 : bounds.max - bounds.min);
    sum += lengths.back().bits;
  }
  std::uint32_t rest = chain.irTotal > sum ? chain.irTotal - sum : 0;
  for (std::size_t i = 0; i < lengths.size(); ++i) {
    const std::uint32_t more = std::min(rest, room[i]);
    lengths[i].bits += more;
    rest -= more;
  }
  const auto assumed = [](const KnownLength& length) { return length.assumed; };
  // Of one alone the sum says how long it is.
  if (std::count_if(lengths.begin(), lengths.end(), assumed) == 1 && rest == 0)
    std::find_if(lengths.begin(), lengths.end(), assumed)->assumed = false;
  const bool certain = std::none_of(lengths.begin(), lengths.end(), assumed);
  for (KnownLength& length : lengths) length.placed = certain;
  return lengths;
}

}  // namespace

std::vector<KnownLength> lengthsFor(const jtag::FoundChain& chain, const std::vector<ToldRegister>& fromTdi) {
  std::vector<ToldRegister> told = fromTdi;
  told.resize(chain.devices.size());
  if (!chain.irCapture.empty()) {
    if (const auto split = splitChain(chain.irCapture, told)) return fromCapture(*split, told);
    // One of them captures something else than its description says.
    std::vector<ToldRegister> anyCapture = told;
    for (ToldRegister& one : anyCapture) one.capture.clear();
    if (const auto split = splitChain(chain.irCapture, anyCapture)) return fromCapture(*split, told);
  }
  return fromBounds(chain, told);
}

std::vector<ToldRegister> toldBy(const sheet::Sheet& sheet) {
  std::vector<ToldRegister> told;
  for (const sheet::Device& device : sheet.chain) {
    if (device.description) {
      told.push_back({device.irLength, device.description->instructionCapture});
    } else {
      told.push_back({device.lengthAssumed ? 0 : device.irLength});
    }
  }
  return told;
}

sheet::Sheet sheetForBoard(const jtag::FoundChain& chain, const std::vector<std::filesystem::path>& files) {
  std::vector<ToldRegister> told;
  std::vector<sheet::FoundForSheet> devices;
  std::set<std::string> names;
  for (std::size_t i = 0; i < chain.devices.size(); ++i) {
    ToldRegister known;
    sheet::FoundForSheet device{"device-" + std::to_string(i + 1), chain.devices[i].idcode, {}, 0, files[i].string()};
    if (!device.bsdl.empty()) {
      const bsdl::BoundaryDescription description = bsdl::parseFile(device.bsdl);
      device.name = sheet::nameFromEntity(description.entity);
      known = {description.instructionLength, description.instructionCapture};
      for (const bsdl::Pattern& p : description.idcodes) {
        if (device.idcode && p.matches(*device.idcode)) device.mask = p.mask;
      }
    }
    const std::string base = device.name;
    for (int n = 2; !names.insert(device.name).second; ++n) device.name = fmt::format("{}-{}", base, n);
    told.push_back(std::move(known));
    devices.push_back(std::move(device));
  }
  const std::vector<KnownLength> lengths = lengthsFor(chain, told);
  for (std::size_t i = 0; i < devices.size(); ++i) {
    devices[i].irLength = lengths[i].bits;
    devices[i].lengthAssumed = lengths[i].assumed;
  }
  return sheet::parseSheet(sheet::sheetTextFor("New board", devices), "");
}

std::string whyNotLength(const jtag::FoundChain& chain, const std::vector<KnownLength>& lengths, std::size_t position,
                         std::uint32_t bits) {
  if (position == 0 || position > chain.devices.size()) return {};
  const jtag::LengthBounds bounds = chain.devices[position - 1].irLength;
  if (bits < bounds.min || bits > bounds.max)
    return bounds.certain() ? fmt::format("it has {} instruction bits", bounds.min)
                            : fmt::format("it has {} to {} instruction bits", bounds.min, bounds.max);
  // What the others can be at least and at most.
  std::uint32_t least = bits, most = bits;
  for (std::size_t i = 0; i < chain.devices.size() && i < lengths.size(); ++i) {
    if (i + 1 == position) continue;
    least += lengths[i].assumed ? chain.devices[i].irLength.min : lengths[i].bits;
    most += lengths[i].assumed ? chain.devices[i].irLength.max : lengths[i].bits;
  }
  if (least <= chain.irTotal && chain.irTotal <= most) return {};
  return fmt::format("the chain has {} instruction bits, and the other devices would have to have {} of them",
                     chain.irTotal, chain.irTotal > bits ? chain.irTotal - bits : 0);
}

}  // namespace imprimo::discover
