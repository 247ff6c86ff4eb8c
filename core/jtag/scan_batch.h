// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <string>
#include <variant>
#include <vector>

#include "core/base/bit_vector.h"

namespace imprimo::jtag {

enum class Register { Instruction, Data };

/// Half-open [begin, end), in bits of one scan.
struct BitRange {
  std::size_t begin = 0;
  std::size_t end = 0;
  std::size_t size() const { return end - begin; }
};

/// Where the TAP is between two scans.
enum class Rest {
  Idle,    ///< Run-Test/Idle
  Update,  ///< Update-IR or Update-DR: the next scan follows without passing Run-Test/Idle, where a part may begin to
           ///< work
  Shift,   ///< still in the shift state: the next scan goes on with the same register
};

/// One pass through Shift-IR or Shift-DR, or a piece of one, from Run-Test/Idle to Run-Test/Idle if not said otherwise.
struct Scan {
  /// The clock stops for at least `time` before bit `at` goes, without leaving the shift state.
  struct Wait {
    std::size_t at;
    std::chrono::microseconds time;
  };
  Register into = Register::Data;
  BitVector out;                   ///< to TDI, bit 0 first; at least one bit
  std::vector<BitRange> captures;  ///< which bits of TDO are wanted; sorted, not overlapping
  std::vector<Wait> waits;         ///< sorted
  Rest from = Rest::Idle;          ///< as the item in front left it
  Rest until = Rest::Idle;         ///< Update only with another scan behind it in the same batch
};
/// Five clocks with TMS 1, then to Run-Test/Idle.
struct ResetTap {};
/// Clocks in Run-Test/Idle.
struct Idle {
  std::uint32_t clocks = 0;
};
/// Time without clocks, in Run-Test/Idle; at least this long.
struct Delay {
  std::chrono::microseconds time{};
};

/// Work for a chain, carried out in order and handed down whole. Begins and ends in Run-Test/Idle, or, where one scan
/// is cut into pieces, in its shift state.
class ScanBatch {
 public:
  using Item = std::variant<Scan, ResetTap, Idle, Delay>;

  ScanBatch& reset() { return add(ResetTap{}); }
  ScanBatch& idle(std::uint32_t clocks) { return add(Idle{clocks}); }
  ScanBatch& delay(std::chrono::microseconds time) { return add(Delay{time}); }
  ScanBatch& add(Item item);
  ScanBatch& send(Register into, BitVector out);
  /// All of TDO is wanted.
  ScanBatch& exchange(Register into, BitVector out);

  const std::vector<Item>& items() const { return items_; }
  bool empty() const { return items_.empty(); }

 private:
  std::vector<Item> items_;
};

/// One entry for each scan that has captures, in order: the wanted bits, joined.
using ScanAnswers = std::vector<BitVector>;

/// A batch as text, for tests and the log: "IR 11111111 | DR 0011 [4..8) | idle 3".
std::string describe(const ScanBatch& batch);

}  // namespace imprimo::jtag
