// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <cstdint>
#include <span>
#include <vector>

#include "core/base/bit_vector.h"

namespace imprimo::probe {

/// Accesses to one register of a debug port or of the access port that its SELECT register names (ADIv5.2, IHI 0031).
struct RegisterRun {
  bool ap = false;
  bool read = false;
  std::uint8_t address = 0;  ///< A[3:2]: 0x0, 0x4, 0x8 or 0xC
  std::size_t count = 0;
  std::vector<std::uint32_t> words;  ///< what is written, `count` of them; empty for reads
};

/// Accesses in order. What a read of an access port gives is its own value: that such reads are posted is the driver's.
class RegisterBatch {
 public:
  void write(bool ap, std::uint8_t address, std::uint32_t value) { writeAll(ap, address, {&value, 1}); }
  void writeAll(bool ap, std::uint8_t address, std::span<const std::uint32_t> words) {
    runs_.push_back({ap, false, address, words.size(), {words.begin(), words.end()}});
  }
  void read(bool ap, std::uint8_t address, std::size_t count = 1) { runs_.push_back({ap, true, address, count, {}}); }
  const std::vector<RegisterRun>& runs() const { return runs_; }
  bool empty() const { return runs_.empty(); }
  std::size_t accesses() const {
    std::size_t all = 0;
    for (const RegisterRun& run : runs_) all += run.count;
    return all;
  }

 private:
  std::vector<RegisterRun> runs_;
};

/// How the port answered. Low: the wire stays at 0 where an answer should be; Silent: it stays at 1. Overrun: it was
/// asked before it was done with what came before; ask the rest anew.
enum class PortAnswer : std::uint8_t { Ok, Wait, Fault, Silent, Low, WrongParity, Overrun };
/// Nothing that would be an answer.
constexpr bool isNoAnswer(PortAnswer answer) {
  return answer == PortAnswer::Silent || answer == PortAnswer::Low;
}

struct RegisterAnswers {
  std::vector<std::uint32_t> words;  ///< of the reads that were answered, in order
  std::size_t done = 0;  ///< accesses that were; a write is not known to have taken effect before another answer
  PortAnswer last = PortAnswer::Ok;  ///< what access number `done` was answered, where not all were
};

/// The two wires of Serial Wire Debug by a probe, which repeats what is answered WAIT as often as it is let.
class SwdPort {
 public:
  virtual ~SwdPort() = default;
  /// Stops at the first access that is not answered Ok; those behind it may or may not have reached the port. Throws
  /// LinkLost.
  virtual RegisterAnswers access(const RegisterBatch& batch) = 0;
  /// SWDIO with each clock, the first bit first: resets of the line and the like. Throws LinkLost.
  virtual void sequence(const BitVector& bits) = 0;
  /// Right behind a line reset: writes TARGETSEL, which no port answers (ADIv5.2, B4.3.4). Throws LinkLost.
  virtual void selectTarget(std::uint32_t value) = 0;
  /// Bits of CTRL/STAT that this way needs: ORUNDETECT where data phases come whatever the port answers.
  virtual std::uint32_t controlBits() const { return 0; }
  /// Time, for limits: by the host's clock; where nothing passes but what was asked for, as in a simulation, that.
  virtual std::chrono::nanoseconds now() const = 0;
  /// Nothing is asked for so long, where time passes only so; otherwise asking takes its time.
  virtual void pass(std::chrono::microseconds time) = 0;

  /// Which of several users of the wires chose the port that listens now; null: nobody did.
  const void* chosenBy() const { return chosenBy_; }
  void setChosenBy(const void* user) { chosenBy_ = user; }

 private:
  const void* chosenBy_ = nullptr;
};

}  // namespace imprimo::probe
