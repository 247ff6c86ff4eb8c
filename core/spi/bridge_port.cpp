// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/spi/bridge_port.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <random>
#include <stdexcept>
#include <utility>

#include "core/base/error.h"
#include "core/spi/expect_pace.h"

namespace imprimo::spi {

using std::chrono::microseconds;

/// Frames on their way into one Shift-DR. The answer to host bit i leaves TDO as bit i + before + 1 + after.
class BridgePort::Stream {
 public:
  struct Answer {
    std::size_t item;
    std::size_t captureAt;  // bit among those captured
    std::size_t bytes;
  };

  Stream(std::size_t before, std::size_t after) : before_(before), after_(after) {}

  bool empty() const { return scan_.out.empty(); }

  void exchange(const Exchange& e, std::size_t item) {
    if (e.out.size() + e.read == 0 || e.out.size() + e.read > bridge::kMostBodyBytes) {
      throw std::invalid_argument("an exchange has 1 to 65535 bytes");
    }
    bridge::appendExchange(scan_.out, e.out, e.read);
    if (e.read > 0) wantLast(e.read, item);
  }
  void guard(const Guard& g, std::size_t item) {
    bridge::appendGuard(scan_.out, g.command, g.mask, g.value, g.statusBytes);
    wantLast(g.statusBytes, item);
  }
  void hello(std::size_t item) {
    bridge::appendHello(scan_.out);
    wantLast(bridge::kHelloBytes, item);
  }
  void mark(ByteSpan mark, std::size_t item) {
    bridge::appendMark(scan_.out, mark);
    wantLast(bridge::kMarkBytes, item);
  }
  /// `looked`: what comes next shows whether it was long enough.
  void wait(microseconds time, bool clocked, bool looked, std::uint32_t clockHz) {
    if (clocked) {
      scan_.out.appendFill(false,
                           static_cast<std::size_t>(std::ceil(static_cast<double>(time.count()) * 1e-6 * clockHz)));
      return;
    }
    // Before the clock stops, the last frame has to be through the parts in front and one bit further.
    scan_.out.appendFill(false, before_ + 1);
    scan_.waits.push_back({scan_.out.size(), time, looked});
  }

  jtag::ScanBatch finish() {
    scan_.out.appendFill(false, before_ + 1 + after_);
    jtag::ScanBatch batch;
    batch.add(std::move(scan_));
    return batch;
  }
  const std::vector<Answer>& answers() const { return answers_; }

 private:
  void wantLast(std::size_t bytes, std::size_t item) {
    const std::size_t delay = before_ + 1 + after_;
    const std::size_t end = scan_.out.size() + delay;
    answers_.push_back({item, captured_, bytes});
    captured_ += 8 * bytes;
    const std::size_t begin = end - 8 * bytes;
    if (!scan_.captures.empty() && scan_.captures.back().end == begin) {
      scan_.captures.back().end = end;
    } else {
      scan_.captures.push_back({begin, end});
    }
  }

  std::size_t before_, after_;
  jtag::Scan scan_;
  std::vector<Answer> answers_;
  std::size_t captured_ = 0;
};

namespace {

constexpr std::size_t kHelloItem = SIZE_MAX;

std::string hexDump(ByteSpan bytes) {
  std::string text;
  for (const std::uint8_t byte : bytes) text += fmt::format("{}{:02X}", text.empty() ? "" : " ", byte);
  return text;
}

}  // namespace

BridgePort::BridgePort(jtag::Chain& chain, std::size_t position, BitVector opcode, std::string name)
    : chain_(chain), position_(position), opcode_(std::move(opcode)), name_(std::move(name)) {}

std::optional<bridge::HelloAnswer> BridgePort::askOnce(Bytes& answer) {
  chain_.select(position_, opcode_);
  Stream stream(chain_.before(position_), chain_.after(position_));
  stream.hello(kHelloItem);
  const jtag::ScanAnswers answers = chain_.port().run(stream.finish());
  answer.resize(bridge::kHelloBytes);
  answers.at(0).readMsbFirst(0, answer);
  return bridge::readHello(answer);
}

void BridgePort::hello() {
  greeted_ = false;
  Bytes answer;
  auto hello = askOnce(answer);
  // Marks left by somebody before are cleared by the first hello; they must not come again.
  if (hello && !hello->clean()) hello = askOnce(answer);
  if (!hello) {
    const bool silent = std::all_of(answer.begin(), answer.end(), [&](std::uint8_t b) { return b == answer[0]; }) &&
                        (answer[0] == 0x00 || answer[0] == 0xFF);
    throw Error(
        ErrorKind::NoBridge,
        fmt::format("no bridge answers in {} (part {}): read {} where 49 4D 50 52 01 00 00 00 should be", name_,
                    position_, hexDump(answer)),
        silent ? "Load a design that contains the bridge into it, and check the sheet's route.instruction; no flash "
                 "command was sent."
               : "Something else is behind this instruction, or bits are lost: check route.instruction, lower the "
                 "clock; no flash command was sent.");
  }
  if (!hello->clean()) {
    throw Error(ErrorKind::NoBridge, fmt::format("the bridge in {} reports damaged frames twice in a row", name_),
                "Lower the clock or shorten the cable; no flash command was sent.");
  }
  greeted_ = true;
}

/// Nothing where the header was refused, which is what a core does that knows no marks.
std::optional<Bytes> BridgePort::exchangeMark(ByteSpan mark) {
  if (!greeted_) hello();
  greeted_ = false;
  chain_.select(position_, opcode_);
  // In a scan of its own: a core that does not know it hears nothing more until Shift-DR is left.
  Stream stream(chain_.before(position_), chain_.after(position_));
  stream.mark(mark, 0);
  const jtag::ScanAnswers answers = chain_.port().run(stream.finish());
  Bytes kept(bridge::kMarkBytes), answer;
  answers.at(0).readMsbFirst(0, kept);
  const auto told = askOnce(answer);
  if (!told) {
    throw Error(ErrorKind::NoBridge,
                fmt::format("the bridge in {} answered {} after it was asked for its mark", name_, hexDump(answer)),
                "Lower the clock or shorten the cable.");
  }
  if (told->headerRefused) return std::nullopt;
  greeted_ = true;
  return kept;
}

bool BridgePort::renewMark(BridgeMark& mark) {
  if (!mark.supported) return false;
  const Bytes before = std::exchange(mark.left, {});
  std::random_device device;
  Bytes fresh(bridge::kMarkBytes);
  // Zeros are what a bridge begins with, and what one without marks answers.
  while (std::all_of(fresh.begin(), fresh.end(), [](std::uint8_t b) { return b == 0; })) {
    for (auto& b : fresh) b = static_cast<std::uint8_t>(device());
  }
  auto kept = exchangeMark(fresh);
  if (!kept) kept = exchangeMark(fresh);  // refused twice is no accident on the way
  mark.supported = kept.has_value();
  if (!kept) return false;
  mark.left = fresh;
  return !before.empty() && *kept == before;
}

void BridgePort::flushStream(Stream& stream, SpiAnswers& result) {
  chain_.select(position_, opcode_);
  stream.hello(kHelloItem);
  greeted_ = false;  // until this stream is known to be whole
  const jtag::ScanAnswers captured = chain_.port().run(stream.finish());
  for (const Stream::Answer& answer : stream.answers()) {
    Bytes bytes(answer.bytes);
    captured.at(0).readMsbFirst(answer.captureAt, bytes);
    if (answer.item != kHelloItem) {
      result.answers[answer.item] = std::move(bytes);
      continue;
    }
    const auto hello = bridge::readHello(bytes);
    if (!hello || hello->headerRefused) {
      throw Error(ErrorKind::LinkLost,
                  fmt::format("the bridge in {} stopped listening: at the end it answered {}", name_, hexDump(bytes)),
                  "A frame was damaged on its way: lower the clock, or check the cable and the target's supply.");
    }
  }
  greeted_ = true;
}

SpiAnswers BridgePort::run(const SpiBatch& batch) {
  if (!greeted_) hello();
  SpiAnswers result;
  result.answers.resize(batch.items().size());
  const auto fresh = [&] { return Stream(chain_.before(position_), chain_.after(position_)); };
  Stream stream = fresh();
  std::size_t firstInStream = 0;

  const auto flush = [&](std::size_t end) {
    if (!stream.empty()) flushStream(stream, result);
    for (std::size_t i = firstInStream; i < end && !result.heldAt; ++i) {
      const auto* guard = std::get_if<Guard>(&batch.items()[i]);
      if (guard != nullptr && (result.answers[i].back() & guard->mask) != guard->value) result.heldAt = i;
    }
    if (result.heldAt) {
      for (std::size_t i = *result.heldAt + 1; i < result.answers.size(); ++i) result.answers[i].clear();
    }
    stream = fresh();
    firstInStream = end;
    return !result.heldAt;
  };

  for (std::size_t i = 0; i < batch.items().size(); ++i) {
    const SpiItem& item = batch.items()[i];
    if (const auto* exchange = std::get_if<Exchange>(&item)) stream.exchange(*exchange, i);
    if (const auto* guard = std::get_if<Guard>(&item)) stream.guard(*guard, i);
    if (const auto* wait = std::get_if<Wait>(&item)) {
      const bool looked = i + 1 < batch.items().size() && std::holds_alternative<Guard>(batch.items()[i + 1]);
      stream.wait(wait->time, wait->clocked, looked, clockHz());
    }
    const auto* expect = std::get_if<Expect>(&item);
    if (expect == nullptr) continue;

    // The first look goes out behind what is waiting, after the typical time; only then is there something to decide.
    ExpectPace pace(*expect, chain_.port());
    for (bool met = false; !met;) {
      stream.wait(pace.next(), false, true, clockHz());
      stream.exchange({{expect->command}, 1}, i);
      result.waited = pace.waited();
      if (!flush(i)) return result;
      met = (result.answers[i].back() & expect->mask) == expect->value;
      if (!met && pace.isOver()) {
        result.timedOutAt = i;
        return result;
      }
    }
  }
  flush(batch.items().size());
  return result;
}

}  // namespace imprimo::spi
