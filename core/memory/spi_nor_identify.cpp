// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/memory/sfdp.h"
#include "core/memory/spi_nor.h"

namespace imprimo::memory {
namespace {

constexpr std::uint8_t kReadId = 0x9F, kReadSfdp = 0x5A, kReadStatus = 0x05;
constexpr std::uint8_t kContinuation = 0x7F;  // JEP106: the maker's code is in the next bank
constexpr std::size_t kIdBytes = 20;          // sixteen banks, maker, device
constexpr int kIdReads = 8;
constexpr std::size_t kMostSfdpAtOnce = 2048;

FlashId decodeId(ByteSpan raw) {
  FlashId id;
  std::size_t at = 0;
  while (at + 3 < raw.size() && raw[at] == kContinuation) ++at;
  id.bank = static_cast<unsigned>(at) + 1;
  id.maker = raw[at];
  id.device = static_cast<std::uint16_t>(raw[at + 1] << 8 | raw[at + 2]);
  return id;
}

std::vector<FlashId> readIds(spi::SpiPort& port, std::uint8_t& status) {
  spi::SpiBatch batch;
  batch.exchange({kReadStatus}, 1);
  for (int i = 0; i < kIdReads; ++i) batch.exchange({kReadId}, kIdBytes);
  const spi::SpiAnswers answers = port.run(batch);
  status = answers.answers[0][0];
  std::vector<FlashId> ids;
  for (int i = 0; i < kIdReads; ++i) ids.push_back(decodeId(answers.answers[1 + i]));
  return ids;
}

/// A part that is still erasing since somebody's last run answers nothing else.
void waitWhileBusy(spi::SpiPort& port, const std::string& name) {
  spi::SpiBatch batch;
  batch.expect({kReadStatus, 0x01, 0x00, std::chrono::milliseconds(1), std::chrono::seconds(4)});
  if (!port.run(batch).timedOutAt) return;
  throw Error(ErrorKind::Refused,
              fmt::format("{} is busy with something that was started before, and does not finish", name),
              "An erase of the whole part can take minutes; wait, or switch the board off and on.");
}

}  // namespace

FlashIdentity identifyFlash(spi::SpiPort& port, const std::string& name, const std::optional<PartCard>& card) {
  std::uint8_t status = 0;
  std::vector<FlashId> ids = readIds(port, status);
  const bool answers = ids[0].value() != 0xFFFFFF && ids[0].value() != 0x000000;
  if ((status & 0x01) != 0 && status != 0xFF) {
    waitWhileBusy(port, name);
    ids = readIds(port, status);
  } else if (!answers) {
    throw Error(ErrorKind::UnknownFlash, fmt::format("{}: no flash answers (its ID reads {})", name, ids[0].text()),
                "Check the bridge's pins, the flash's supply, and that nobody else drives its chip select.");
  }

  FlashIdentity identity;
  identity.id = ids[0];
  identity.idReads = kIdReads;
  identity.idReadsEqual = static_cast<int>(std::count(ids.begin(), ids.end(), ids[0]));
  if (identity.idReadsEqual != identity.idReads) {
    const auto other = std::find_if(ids.begin(), ids.end(), [&](const FlashId& id) { return !(id == ids[0]); });
    throw Error(ErrorKind::Refused,
                fmt::format("{}: the ID changes from read to read: {}, then {}", name, ids[0].text(), other->text()),
                "Lower the clock or shorten the cable.");
  }

  const auto table = readSfdp([&](std::uint32_t address, std::size_t count) {
    Bytes bytes;
    while (bytes.size() < count) {
      const std::size_t part = std::min(count - bytes.size(), kMostSfdpAtOnce);
      const auto at = address + static_cast<std::uint32_t>(bytes.size());
      spi::SpiBatch batch;
      batch.exchange({kReadSfdp, static_cast<std::uint8_t>(at >> 16), static_cast<std::uint8_t>(at >> 8),
                      static_cast<std::uint8_t>(at), 0x00},
                     part);
      const Bytes some = port.run(batch).answers[0];
      bytes.insert(bytes.end(), some.begin(), some.end());
    }
    return bytes;
  });
  identity.sfdp = table.has_value();

  if (card) {
    if (!(card->id == identity.id)) {
      throw Error(ErrorKind::Refused,
                  fmt::format("{} should be {} (ID {}, bank {}), found ID {}, bank {}", name, card->name,
                              card->id.text(), card->id.bank, identity.id.text(), identity.id.bank),
                  "Is this the right board? If so, correct the part card or leave \"part\" out of the sheet.");
    }
    identity.geometry = card->geometry;
    identity.source = "card";
  } else if (table) {
    identity.geometry = *table;
    identity.source = "sfdp";
  } else {
    throw Error(ErrorKind::UnknownFlash,
                fmt::format("{} (ID {}, bank {}) has no parameter table (SFDP) and the sheet has no part card", name,
                            identity.id.text(), identity.id.bank),
                "Write a part card from its data sheet and name it in the sheet: \"part\": \"FILE\".");
  }
  return identity;
}

}  // namespace imprimo::memory
