// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/serial_flash_kind.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/number.h"
#include "core/flash/serial_flash.h"
#include "core/flash/vector_lines.h"

namespace imprimo::bench {
namespace {

constexpr std::uint8_t kReadId = 0x9F, kNoMaker = 0x7F;

/// The part card that a memory's sheet entry names. Throws BadFile.
std::optional<flash::PartCard> namedCard(const sheet::Sheet& sheet, const sheet::MemoryEntry& entry) {
  if (!entry.partCard) return std::nullopt;
  return readReferred(entry.partCardFrom, [&] { return flash::readPartCard(sheet.folder() / *entry.partCard); });
}

/// That, or what was last seen.
std::optional<flash::PartCard> cardOnPaper(const sheet::Sheet& sheet, const sheet::MemoryEntry& entry) {
  if (entry.partCard) return namedCard(sheet, entry);
  if (entry.lastSeen.empty()) return std::nullopt;
  return flash::parsePartCard(entry.lastSeen, sheet.path.string() + ": last_seen of " + entry.name);
}

std::optional<memory::Geometry> onPaper(const sheet::Sheet& sheet, const sheet::MemoryEntry& entry) {
  const auto card = cardOnPaper(sheet, entry);
  return card ? std::optional(card->geometry) : std::nullopt;
}

void identify(const MemorySite& site, std::unique_ptr<memory::Memory>& memory) {
  spi::SpiPort& port = spiOf(site.route, site.entry.name);
  const auto card = namedCard(site.sheet, site.entry);
  const flash::FlashIdentity flash = flash::identifyFlash(port, site.entry.name, card, site.find.card);
  auto* before = dynamic_cast<flash::SerialFlash*>(memory.get());
  const auto* known = before == nullptr ? nullptr : flash::flashOf(before->identity());
  if (known != nullptr && known->commands == flash.commands && before->identity().samePart(flash::identityOf(flash))) {
    before->identified(flash);
  } else {
    memory = std::make_unique<flash::SerialFlash>(port, flash, site.entry.name);
  }
}

class RecordedFlash : public MemoryRecorder {
 public:
  RecordedFlash(std::string name, flash::PartCard card) : name_(std::move(name)), card_(std::move(card)) {}

  const memory::Geometry& geometry() const override { return card_.geometry; }
  std::string words() const override {
    return fmt::format("{}, {}, page {}", card_.name, sizeText(card_.geometry.size), card_.geometry.page);
  }
  std::vector<std::string> headLines() const override { return flash::vectorLines(card_.geometry, card_.commands); }

  void identify(RouteRecorder& route) override {
    spi::SpiPort& port = spiOf(route, name_);
    spi::SpiBatch batch;
    if (card_.deepPowerDown) {
      batch.exchange({card_.deepPowerDown->leave});
      batch.wait({std::chrono::microseconds(static_cast<long>(card_.deepPowerDown->wake * 1e6) + 1), false});
    }
    Bytes answer(card_.id.bank - 1, kNoMaker);
    answer.insert(answer.end(), {card_.id.maker, static_cast<std::uint8_t>(card_.id.device >> 8),
                                 static_cast<std::uint8_t>(card_.id.device)});
    batch.expectAnswer({kReadId}, answer);
    port.run(batch);
    memory::Identity identity;
    identity.geometry = card_.geometry;
    nor_ = std::make_unique<flash::SpiNor>(port, std::move(identity), card_.commands, name_);
    nor_->waitLongest();
    nor_->enterModes();
  }
  void enterModes() override { nor_->enterModes(); }
  void erase(std::span<const memory::EraseBlock> blocks, Progress& progress) override { nor_->erase(blocks, progress); }
  void program(std::span<const memory::PageWrite> pages, Progress& progress) override {
    nor_->program(pages, progress);
  }
  void expectBytes(std::uint64_t address, ByteSpan bytes, std::size_t atOnce, Progress& progress) override {
    nor_->expectBytes(address, bytes, atOnce, progress);
  }
  bool hasModes() const override { return nor_ != nullptr && card_.geometry.size > flash::kThreeByteReach; }
  void leave() override { nor_.reset(); }

 private:
  std::string name_;
  flash::PartCard card_;
  std::unique_ptr<flash::SpiNor> nor_;
};

std::unique_ptr<MemoryRecorder> record(const sheet::Sheet& sheet, const sheet::MemoryEntry& entry) {
  auto card = cardOnPaper(sheet, entry);
  if (card) return std::make_unique<RecordedFlash>(entry.name, *std::move(card));
  throw Error(
      ErrorKind::Usage,
      fmt::format("the size, the blocks and the times of {} are not known: the sheet has neither a part card for "
                  "it nor what was last seen of it",
                  entry.name),
      "Connect it once and save what it says, or give the sheet a part card.")
      .setHelp(Help::IdentifyFirst);
}

}  // namespace

MemoryKind serialFlashKind() {
  return {"spi-nor", MemoryUse::Configuration, identify, onPaper, record};
}

}  // namespace imprimo::bench
