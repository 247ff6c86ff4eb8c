// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/bench.h"

#include <fmt/format.h>

#include "core/base/error.h"

namespace imprimo::run {
namespace {

std::vector<std::uint32_t> lengthsOf(const sheet::Sheet& sheet) {
  std::vector<std::uint32_t> lengths;
  for (const sheet::Part& part : sheet.chain) lengths.push_back(part.irLength);
  return lengths;
}

}  // namespace

std::vector<jtag::ExpectedPart> expectedChain(const sheet::Sheet& sheet) {
  std::vector<jtag::ExpectedPart> parts;
  for (const sheet::Part& part : sheet.chain) parts.push_back({part.name, part.idcodes, part.irLength});
  return parts;
}

std::optional<memory::Geometry> geometryOnPaper(const sheet::Sheet& sheet, const std::string& name) {
  const sheet::MemoryEntry& entry = sheet.memory(name);
  if (entry.part) return memory::readPartCard(sheet.folder() / *entry.part).geometry;
  if (!entry.lastSeen.empty())
    return memory::parsePartCard(entry.lastSeen, sheet.path.string() + ": last_seen of " + name).geometry;
  return std::nullopt;
}

Bench::Bench(sheet::Sheet sheet, std::unique_ptr<probe::Probe> probe)
    : sheet_(std::move(sheet)), probe_(std::move(probe)), chain_(*probe_, lengthsOf(sheet_)) {}

jtag::FoundChain Bench::examine() {
  chain_.forget();
  return jtag::examine(*probe_, [this](std::uint32_t idcode) -> const bsdl::BoundaryDescription* {
    for (const sheet::Part& part : sheet_.chain) {
      if (part.description && part.description->matchesIdcode(idcode)) return part.description.get();
    }
    return nullptr;
  });
}

jtag::FoundChain Bench::checkChain() {
  jtag::FoundChain found = examine();
  jtag::requireMatch(expectedChain(sheet_), found);
  return found;
}

jtag::PatternCheck Bench::checkLink(int rounds) {
  return jtag::checkPattern(chain_, rounds);
}

const memory::FlashIdentity& Bench::identify(const std::string& name) {
  const sheet::MemoryEntry& entry = sheet_.memory(name);
  const auto* route = std::get_if<sheet::BridgeRoute>(&entry.route);
  if (route == nullptr) {
    throw Error(ErrorKind::Usage,
                fmt::format("{} is reached by pins (boundary scan), which this version cannot drive", name),
                "Memories behind a bridge work.");
  }
  std::optional<memory::PartCard> card;
  if (entry.part) card = memory::readPartCard(sheet_.folder() / *entry.part);

  Opened& opened = opened_[name];
  if (!opened.port) {
    opened.port = std::make_unique<spi::BridgePort>(chain_, route->position, route->opcode,
                                                    sheet_.chain[route->position - 1].name);
  }
  try {
    opened.port->hello();
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::NoBridge || !route->load) throw;
    throw Error(
        ErrorKind::NoBridge, e.what(),
        fmt::format(
            "The sheet's {} would make it a bridge, but this version does not configure parts: load it by other means, "
            "then try again. No flash command was sent.",
            *route->load));
  }
  memory::FlashIdentity identity = memory::identifyFlash(*opened.port, name, card);
  const bool same = opened.memory && opened.identity.id == identity.id && opened.identity.geometry == identity.geometry;
  opened.identity = std::move(identity);
  if (!same) {
    opened.memory.reset();  // leaves the part's modes before the next one enters them
    opened.contents = {};
    opened.memory = std::make_unique<memory::SpiNor>(*opened.port, opened.identity.geometry, name);
  }
  return opened.identity;
}

bool Bench::identified(const std::string& name) const {
  const auto it = opened_.find(name);
  return it != opened_.end() && it->second.memory != nullptr;
}

Bench::Opened& Bench::opened(const std::string& name) {
  if (!identified(name)) identify(name);
  return opened_.at(name);
}

memory::Memory& Bench::memory(const std::string& name) {
  return *opened(name).memory;
}
const memory::FlashIdentity& Bench::identity(const std::string& name) {
  return opened(name).identity;
}
MemoryImage& Bench::contents(const std::string& name) {
  return opened(name).contents;
}

LinkSpeed Bench::speed() const {
  return {probe_->clockHz(), spi::bridge::kHeaderBits};
}

void Bench::restart() {
  chain_.forget();
  probe_->pulseReset(std::chrono::milliseconds(50));
}

}  // namespace imprimo::run
