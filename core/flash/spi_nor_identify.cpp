// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>

#include "core/flash/card_check.h"
#include "core/flash/spi_nor_commands.h"
#include "core/flash/spi_nor_identity.h"

namespace imprimo::flash {
namespace {

using namespace std::chrono_literals;

constexpr std::uint8_t kContinuation = 0x7F;  // JEP106: the maker's code is in the next bank
constexpr std::size_t kIdBytes = 20;          // sixteen banks, maker, device
constexpr int kIdReads = 8;
constexpr std::size_t kMostSfdpAtOnce = 1024;
constexpr const char* kWriteCard =
    "Write a part card from its data sheet and name it in the sheet: \"part\": \"FILE\".";

FlashId decodeId(ByteSpan raw) {
  FlashId id;
  std::size_t at = 0;
  while (at + 3 < raw.size() && raw[at] == kContinuation) ++at;
  id.bank = static_cast<unsigned>(at) + 1;
  id.maker = raw[at];
  id.device = static_cast<std::uint16_t>(raw[at + 1] << 8 | raw[at + 2]);
  return id;
}

/// Asks the part, and believes nothing that it says only once.
class Asking {
 public:
  Asking(spi::SpiPort& port, const std::string& name, const std::optional<PartCard>& card)
      : port_(port), name_(name), card_(card) {}

  FlashEvidence ask() {
    whoIsIt();
    ownTable();
    return std::move(found_);
  }

 private:
  std::vector<FlashId> readIds() {
    spi::SpiBatch batch;
    batch.exchange({command::kReadStatus}, 1);
    for (int i = 0; i < kIdReads; ++i) batch.exchange({command::kReadId}, kIdBytes);
    const spi::SpiAnswers answers = port_.run(batch);
    status_ = answers.answers.at(0).at(0);
    std::vector<FlashId> ids;
    for (std::size_t i = 0; i < kIdReads; ++i) ids.push_back(decodeId(answers.answers.at(1 + i)));
    return ids;
  }

  static bool answers(const FlashId& id) { return id.value() != 0xFFFFFF && id.value() != 0x000000; }

  /// A part that is still erasing since somebody's last run answers nothing else.
  void waitWhileBusy() {
    spi::SpiBatch batch;
    batch.expect({command::kReadStatus, 0x01, 0x00, 1ms, 4s});
    if (!port_.run(batch).timedOutAt) return;
    throw Error(ErrorKind::Refused,
                fmt::format("{} is busy with something that was started before, and does not finish", name_),
                "An erase of the whole part can take minutes; wait, or switch the board off and on.");
  }

  /// A part in deep power-down hears only the command that wakes it; one in a strange mode is reset.
  bool wake() {
    FlashFacts::DeepPowerDown sleep;
    sleep.wake = 100e-6;
    if (card_ && card_->deepPowerDown) sleep = *card_->deepPowerDown;
    spi::SpiBatch batch;
    batch.exchange({sleep.leave});
    batch.wait({inMicroseconds(sleep.wake)});
    port_.run(batch);
    if (answers(readIds()[0])) {
      found_.remarks.push_back("it was in deep power-down and was woken; it is put back into it at the end");
      found_.asleep = sleep;
      return true;
    }
    spi::SpiBatch reset;
    reset.exchange({command::kArmReset});
    reset.exchange({command::kReset});
    reset.wait({1ms});
    port_.run(reset);
    if (!answers(readIds()[0])) return false;
    found_.remarks.push_back("it answered only after a soft reset");
    return true;
  }

  void whoIsIt() {
    std::vector<FlashId> ids = readIds();
    if ((status_ & 0x01) != 0 && status_ != 0xFF) {
      waitWhileBusy();
      ids = readIds();
    } else if (!answers(ids[0]) && std::count(ids.begin(), ids.end(), ids[0]) == kIdReads) {
      if (!wake()) {
        throw Error(ErrorKind::UnknownFlash,
                    fmt::format("{}: no flash answers (its ID reads {})", name_, ids[0].text()), port_.whySilent());
      }
      ids = readIds();
    }
    found_.id = ids[0];
    found_.idReads = kIdReads;
    found_.idReadsEqual = static_cast<int>(std::count(ids.begin(), ids.end(), ids[0]));
    if (found_.idReadsEqual == found_.idReads) return;
    const auto other = std::find_if(ids.begin(), ids.end(), [&](const FlashId& id) { return !(id == ids[0]); });
    throw Error(ErrorKind::Refused,
                fmt::format("{}: the ID changes from read to read: {}, then {}", name_, ids[0].text(), other->text()),
                "Lower the clock or shorten the cable.");
  }

  Bytes readSpace(std::uint32_t address, std::size_t count) {
    Bytes bytes;
    while (bytes.size() < count) {
      const std::size_t part = std::min(count - bytes.size(), kMostSfdpAtOnce);
      const auto at = address + static_cast<std::uint32_t>(bytes.size());
      const Bytes out{command::kReadSfdp, static_cast<std::uint8_t>(at >> 16), static_cast<std::uint8_t>(at >> 8),
                      static_cast<std::uint8_t>(at), 0x00};
      spi::SpiBatch batch;
      batch.exchange(out, part);
      batch.exchange(out, part);
      const spi::SpiAnswers answers = port_.run(batch);
      const Bytes& some = answers.answers.at(0);
      if (some != answers.answers.at(1)) {
        const auto where = std::mismatch(some.begin(), some.end(), answers.answers[1].begin()).first - some.begin();
        throw Error(ErrorKind::Refused,
                    fmt::format("{}: two reads of the parameter table (SFDP) differ at {}", name_,
                                hexAddress(at + static_cast<std::uint64_t>(where))),
                    "Lower the clock or shorten the cable.");
      }
      bytes.insert(bytes.end(), some.begin(), some.end());
    }
    if (address == 0)
      found_.signature.assign(bytes.begin(), bytes.begin() + std::min<std::ptrdiff_t>(4, bytes.end() - bytes.begin()));
    return bytes;
  }

  /// A command of the sector map: the byte behind the address and so many clocks, which need not be whole bytes.
  std::uint8_t detect(std::uint8_t command, unsigned addressBytes, std::uint32_t address, unsigned dummyClocks) {
    Bytes out{command};
    for (unsigned i = addressBytes; i-- > 0;) out.push_back(static_cast<std::uint8_t>(address >> (8 * i)));
    spi::SpiBatch batch;
    batch.exchange(out, dummyClocks / 8 + 2);
    const Bytes read = port_.run(batch).answers.at(0);
    const unsigned at = dummyClocks / 8, shift = dummyClocks % 8;
    return static_cast<std::uint8_t>((read[at] << 8 | read[at + 1]) >> (8 - shift));
  }

  void ownTable() {
    const SfdpAccess access{[this](std::uint32_t at, std::size_t count) { return readSpace(at, count); },
                            [this](std::uint8_t c, unsigned bytes, std::uint32_t at, unsigned clocks) {
                              return detect(c, bytes, at, clocks);
                            }};
    try {
      found_.table = readSfdp(access);
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::UnknownFlash) throw;
      found_.tableProblem = e.what();
      if (card_) found_.remarks.push_back(fmt::format("its own table cannot be used, the card is: {}", e.what()));
    }
  }

  spi::SpiPort& port_;
  const std::string& name_;
  const std::optional<PartCard>& card_;
  FlashEvidence found_;
  std::uint8_t status_ = 0;
};

/// Describes what answered.
class Identification {
 public:
  Identification(spi::SpiPort& port, const std::string& name, const std::optional<PartCard>& card,
                 const CardFinder& find)
      : port_(port), name_(name), card_(card), find_(find) {}

  FlashIdentity make() {
    FlashEvidence found = askFlash(port_, name_, card_);
    identity_.id = found.id;
    identity_.idReads = found.idReads;
    identity_.idReadsEqual = found.idReadsEqual;
    identity_.sfdp = found.table.has_value() || !found.tableProblem.empty();
    identity_.table = std::move(found.table);
    identity_.remarks = std::move(found.remarks);
    const auto asleep = found.asleep;
    signature_ = found.signature;
    if (!card_ && !identity_.table && find_) {
      card_ = find_(identity_.id);
      if (card_) identity_.remarks.push_back(fmt::format("it is described by the library's card \"{}\"", card_->name));
    }
    tableProblem_ = found.tableProblem;
    describe();
    FourByteEntry& way = identity_.commands.fourByte;
    if (way == FourByteEntry::Unknown) {
      way = tryFourByte(port_, identity_.geometry.size);
      setReach(identity_.geometry, way);
      identity_.remarks.push_back(way == FourByteEntry::Unknown
                                      ? "it does not say how addresses over 16 MiB are reached, and what it holds does "
                                        "not let it be tried: only "
                                        "the lower 16 MiB are reached"
                                      : "it does not say how addresses over 16 MiB are reached; 4-byte addresses were "
                                        "tried and read as before");
    }
    identity_.found = findModes(port_, identity_.geometry, way);
    identity_.found.asleep = asleep;
    if (identity_.found.address == AddressMode::FourBytes)
      identity_.remarks.push_back("it takes four address bytes; that is how it is left");
    if (identity_.uniqueIdCommand) identity_.uniqueId = readUniqueId(port_, *identity_.uniqueIdCommand);
    return std::move(identity_);
  }

 private:
  void describe() {
    if (identity_.table) identity_.facts = identity_.table->facts;
    if (card_) return byCard();
    if (!tableProblem_.empty() && !card_)
      throw Error(ErrorKind::UnknownFlash, fmt::format("{}: {}", name_, tableProblem_),
                  "Describe the part with a part card, \"part\" in the sheet.");
    if (!identity_.table) {
      const bool blank = std::all_of(signature_.begin(), signature_.end(), [&](auto b) { return b == signature_[0]; });
      std::string instead;
      for (const std::uint8_t b : signature_) instead += fmt::format("{}{:02X}", instead.empty() ? "" : " ", b);
      throw Error(ErrorKind::UnknownFlash,
                  fmt::format("{} (ID {}, bank {}) has no parameter table (SFDP{}) and the sheet has no part card",
                              name_, identity_.id.text(), identity_.id.bank,
                              blank ? "" : fmt::format(": {} stands where its signature should be", instead)),
                  kWriteCard);
    }
    identity_.geometry = identity_.table->geometry;
    identity_.commands = identity_.table->commands;
    identity_.registers = standardRegisters(identity_.facts);
    identity_.source = "sfdp";
  }

  void byCard() {
    if (!(card_->id == identity_.id)) {
      throw Error(ErrorKind::Refused,
                  fmt::format("{} should be {} (ID {}, bank {}), found ID {}, bank {}", name_, card_->name,
                              card_->id.text(), card_->id.bank, identity_.id.text(), identity_.id.bank),
                  "Is this the right board? If so, correct the part card or leave \"part\" out of the sheet.");
    }
    if (identity_.table) {
      const std::string wrong = contradiction(name_, *card_, *identity_.table);
      if (!wrong.empty() && !card_->tableIsWrong) {
        throw Error(ErrorKind::Refused, wrong,
                    "Correct the part card; if it is the table that is wrong, say so in it: \"table_is_wrong\": true.");
      }
      if (!wrong.empty()) identity_.remarks.push_back(wrong + "; the card says that the table is wrong");
    }
    identity_.geometry = card_->geometry;
    identity_.commands = card_->commands;
    takeWideFromTable();
    identity_.registers = card_->registers.empty() ? standardRegisters(identity_.facts) : card_->registers;
    identity_.protection = card_->protection;
    identity_.uniqueIdCommand = card_->uniqueId;
    if (card_->deepPowerDown) identity_.facts.deepPowerDown = card_->deepPowerDown;
    identity_.source = "card";
  }

  /// What a card does not say of several lines its table may.
  void takeWideFromTable() {
    NorCommands& commands = identity_.commands;
    if (!identity_.table || card_->tableIsWrong || !commands.wideReads.empty()) return;
    const NorCommands& table = identity_.table->commands;
    commands.wideReads = table.wideReads;
    if (commands.widePrograms.empty()) commands.widePrograms = table.widePrograms;
    if (!commands.quad) commands.quad = table.quad;
  }

  spi::SpiPort& port_;
  const std::string& name_;
  std::optional<PartCard> card_;
  const CardFinder& find_;
  FlashIdentity identity_;
  std::string tableProblem_;
  Bytes signature_;
};

}  // namespace

FlashEvidence askFlash(spi::SpiPort& port, const std::string& name, const std::optional<PartCard>& card) {
  return Asking(port, name, card).ask();
}

std::optional<bool> wrapsAt(spi::SpiPort& port, std::uint64_t size) {
  constexpr std::size_t kBytes = 4096;
  if (size == 0 || size >= kThreeByteReach) return std::nullopt;
  const auto read = [&](std::uint64_t at) {
    return Bytes{command::kRead, static_cast<std::uint8_t>(at >> 16), static_cast<std::uint8_t>(at >> 8),
                 static_cast<std::uint8_t>(at)};
  };
  spi::SpiBatch batch;
  batch.exchange(read(0), kBytes);
  batch.exchange(read(size), kBytes);
  const spi::SpiAnswers answers = port.run(batch);
  const Bytes& low = answers.answers.at(0);
  if (std::all_of(low.begin(), low.end(), [&](std::uint8_t b) { return b == low[0]; })) return std::nullopt;
  return low == answers.answers.at(1);
}

FlashIdentity identifyFlash(spi::SpiPort& port, const std::string& name, const std::optional<PartCard>& card,
                            const CardFinder& find) {
  return Identification(port, name, card, find).make();
}

}  // namespace imprimo::flash
