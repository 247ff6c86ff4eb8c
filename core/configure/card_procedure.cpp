// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/configure/device_batch.h"
#include "core/configure/procedure.h"
#include "core/configure/vector_procedure.h"

namespace imprimo::configure {
namespace {

/// A status that is waited for is looked at so often, but for pauses that are too short to matter or too long to stop
/// in.
constexpr double kMostLooks = 200, kLeastPause = 0.0001, kMostPause = 0.05;

BitVector statusOf(const Target& target, const StatusRegister& status, jtag::Chain& chain,
                   std::optional<jtag::Scan::Expected> expected = {}) {
  DeviceBatch batch(chain, target.position);
  DeviceScan scan;
  scan.expected = std::move(expected);
  if (status.instruction.empty()) {
    scan.opcode = BitVector(target.description->instructionLength, true);
    scan.captureInstruction = true;
  } else {
    scan.opcode = opcodeOf(target, status.instruction);
    scan.captureBits = status.size;
  }
  return batch.add(scan).run().at(0);
}

class CardProcedure : public Procedure {
 public:
  CardProcedure(const Target& target, const ConfigCard& card, const std::vector<CardStep>& steps,
                const ConfigData* data, std::uint32_t clockHz)
      : target_(target), card_(card), steps_(steps), data_(data) {
    for (const CardStep& step : steps) {
      if (step.kind == CardStep::Kind::Play) files_.emplace(&step, VectorStage(step.file, clockHz));
      stages_.push_back(stageOf(step, clockHz));
    }
  }

  const std::vector<Stage>& stages() const override { return stages_; }

  StageResult carryOut(std::size_t i, jtag::Chain& chain, Progress& progress) override {
    const CardStep& step = steps_.at(i);
    if (progress.stopRequested()) throw Error(ErrorKind::Stopped, fmt::format("stopped before \"{}\"", step.title));
    switch (step.kind) {
      case CardStep::Kind::Do: {
        DeviceBatch batch(chain, target_.position);
        batch.add({.opcode = opcodeOf(target_, step.instruction),
                   .update = step.value,
                   .clocks = step.clocks,
                   .seconds = step.seconds});
        batch.run();
        return {};
      }
      case CardStep::Kind::Data:
        shiftLong(chain, target_.position, {opcodeOf(target_, step.instruction), bits(), step.clocks, step.seconds},
                  progress);
        return {};
      case CardStep::Kind::Reset:
        chain.port().run(jtag::ScanBatch().reset());
        chain.forget();
        return {};
      case CardStep::Kind::Play:
        return files_.at(&step).play(chain, progress);
      case CardStep::Kind::Until:
      case CardStep::Kind::Expect:
        return look(step, chain, progress);
    }
    return {};
  }

  /// The last thing that a part of this kind is told is to listen to its own pins again.
  void leave(jtag::Chain& chain) override {
    chain.port().run(jtag::ScanBatch().reset());
    chain.forget();
  }

 private:
  const BitVector& bits() const {
    if (data_ == nullptr) throw Error(ErrorKind::Usage, fmt::format("{} needs a file", target_.name));
    return data_->sections.front().bits;
  }

  Stage stageOf(const CardStep& step, std::uint32_t clockHz) const {
    Stage stage;
    stage.title = step.title;
    stage.why = fmt::format("{} of the card \"{}\"", step.path, card_.name);
    stage.changes =
        step.kind == CardStep::Kind::Do || step.kind == CardStep::Kind::Data || step.kind == CardStep::Kind::Play;
    std::uint64_t clocks = step.clocks + 40;
    if (step.kind == CardStep::Kind::Data) clocks += stage.amount.count = bits().size();
    stage.seconds = static_cast<double>(clocks) / clockHz + step.seconds;
    if (const auto file = files_.find(&step); file != files_.end()) {
      stage.amount = {file->second.clocks(), Amount::Clocks};
      stage.seconds = file->second.seconds();
    }
    return stage;
  }

  StageResult look(const CardStep& step, jtag::Chain& chain, Progress& progress) const {
    const StatusRegister& status = *card_.status;
    const double often = std::clamp(step.atMost / kMostLooks, kLeastPause, kMostPause);
    const auto pause = std::chrono::microseconds(static_cast<std::int64_t>(often * 1e6));
    jtag::Scan::Expected wished{BitVector(status.size), BitVector(status.size), {}};
    for (const auto& [bit, level] : step.wish.bits) {
      wished.value.set(bit, level);
      wished.mask.set(bit, true);
    }
    if (step.kind == CardStep::Kind::Until)
      wished.within = std::chrono::microseconds(static_cast<std::int64_t>(std::ceil(step.atMost * 1e6)));
    BitVector now = statusOf(target_, status, chain, std::move(wished));
    for (double waited = 0; step.kind == CardStep::Kind::Until && !step.wish.holds(now) && waited < step.atMost;) {
      if (progress.stopRequested()) throw Error(ErrorKind::Stopped, fmt::format("stopped in \"{}\"", step.title));
      chain.port().run(jtag::ScanBatch().delay(pause));
      waited += std::chrono::duration<double>(pause).count();
      now = statusOf(target_, status, chain);
    }
    StageResult result;
    result.note = fmt::format("status {}", now.digits());
    if (step.wish.holds(now)) return result;
    std::string trouble;
    for (const StatusRegister::Bit& bit : status.bits) {
      if (bit.trouble && now[bit.number]) trouble += (trouble.empty() ? "" : ", ") + bit.name;
    }
    const std::string after =
        step.kind == CardStep::Kind::Until ? fmt::format(" after {}", durationText(step.atMost)) : "";
    throw Error(
        ErrorKind::NotProgrammed,
        fmt::format("{}: should be {}, and is {}{} (status {})", target_.name, step.wish.text(status),
                    step.wish.text(status, &now), after, now.digits()),
        trouble.empty() ? "The step is " + step.path + " of " + card_.fileName + "." : "It says: " + trouble + ".");
  }

  Target target_;
  const ConfigCard& card_;
  const std::vector<CardStep>& steps_;
  const ConfigData* data_;
  std::map<const CardStep*, VectorStage> files_;
  std::vector<Stage> stages_;
};

}  // namespace

BitVector opcodeOf(const Target& target, const std::string& instruction) {
  const auto opcode = target.description->opcode(instruction);
  if (!opcode) {
    throw Error(ErrorKind::BadFile,
                fmt::format("{} ({}) has no instruction {}", target.name, target.description->entity, instruction));
  }
  return *opcode;
}

std::unique_ptr<Procedure> cardProcedure(const Target& target, const ConfigCard& card,
                                         const std::vector<CardStep>& steps, const ConfigData* data,
                                         std::uint32_t clockHz) {
  return std::make_unique<CardProcedure>(target, card, steps, data, clockHz);
}

DeviceState lookAt(const Target& target, const ConfigCard* card, jtag::Chain& chain) {
  DeviceState state;
  if (card != nullptr && card->status) {
    state.status = statusOf(target, *card->status, chain);
    if (card->runs) state.runs = card->runs->holds(*state.status);
  }
  const std::string usercode = card != nullptr ? card->usercode : "USERCODE";
  if (const auto opcode = target.description->opcode(usercode)) {
    DeviceBatch batch(chain, target.position);
    const auto answers = batch.add({.opcode = *opcode, .captureBits = 32}).run();
    state.usercode = static_cast<std::uint32_t>(answers.at(0).bits(0, 32));
  }
  return state;
}

std::string stateText(const DeviceState& state, const ConfigCard* card) {
  std::string text;
  const auto add = [&](const std::string& more) { text += (text.empty() ? "" : "; ") + more; };
  if (state.runs) add(*state.runs ? "a design runs" : "no design runs");
  if (state.usercode) add(fmt::format("user code 0x{:08x}", *state.usercode));
  if (state.status && card != nullptr && card->status) {
    std::string set;
    for (const StatusRegister::Bit& bit : card->status->bits) {
      if ((*state.status)[bit.number]) set += (set.empty() ? "" : ", ") + bit.name;
    }
    add(set.empty() ? "no status bit is set" : "status: " + set);
  }
  return text;
}

std::size_t Mismatch::firstBit() const {
  for (std::size_t i = 0; i < expected.size(); ++i) {
    if ((mask.empty() || mask[i]) && (i >= found.size() || expected[i] != found[i])) return i;
  }
  return 0;
}

std::size_t Mismatch::differing() const {
  std::size_t count = 0;
  for (std::size_t i = 0; i < expected.size(); ++i)
    count += (mask.empty() || mask[i]) && (i >= found.size() || expected[i] != found[i]) ? 1 : 0;
  return count;
}

std::optional<bool> Mismatch::allAlike() const {
  for (std::size_t i = 1; i < found.size(); ++i) {
    if (found[i] != found[0]) return std::nullopt;
  }
  return found.empty() ? std::nullopt : std::optional(found[0]);
}

std::string Mismatch::text() const {
  if (expected.size() <= 64) {
    return fmt::format("{}: {} should give {}, and gives {}", where, instruction, expected.digits(), found.digits());
  }
  const std::size_t first = firstBit();
  return fmt::format("{}: {} of {} bits of {} differ, the first is bit {} (should be {}, is {})", where, differing(),
                     expected.size(), instruction, first, expected[first] ? 1 : 0,
                     first < found.size() && found[first] ? 1 : 0);
}

}  // namespace imprimo::configure
