// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

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

/// How the port answered.
enum class PortAnswer : std::uint8_t { Ok, Wait, Fault, Silent, WrongParity };

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
};

}  // namespace imprimo::probe
