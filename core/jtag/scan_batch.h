// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <optional>
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
  Update,  ///< Update-IR or Update-DR: the next scan follows without passing Run-Test/Idle, where a device may begin to
           ///< work
  Shift,   ///< still in the shift state: the next scan goes on with the same register
  Pause,   ///< Pause-IR or Pause-DR, after the register scanned last
  Reset,   ///< Test-Logic-Reset
};

/// One pass through Shift-IR or Shift-DR, or a piece of one, from Run-Test/Idle to Run-Test/Idle if not said otherwise.
struct Scan {
  /// The clock stops for at least `time` before bit `at` goes, without leaving the shift state.
  struct Wait {
    std::size_t at;
    std::chrono::microseconds time;
    bool looked = false;  ///< what follows shows whether it was long enough, so that a port need not prove it
  };
  /// What the captured bits are to be, as far as that is known beforehand: for who writes scans down instead of doing
  /// them. Who does them leaves the comparing to the caller.
  struct Expected {
    BitVector value, mask;               ///< as long as all captures together; only bits under a 1 are compared
    std::chrono::microseconds within{};  ///< from the end of what went before: how long it may take until it is so
  };
  Register into = Register::Data;
  BitVector out;                   ///< to TDI, bit 0 first; at least one bit
  std::vector<BitRange> captures;  ///< which bits of TDO are wanted; sorted, not overlapping
  std::vector<Wait> waits;         ///< sorted
  Rest from = Rest::Idle;          ///< as the item in front left it
  Rest until = Rest::Idle;         ///< Update only with another scan behind it in the same batch
  std::optional<Expected> expected = {};
};
/// Five clocks with TMS 1, then to Run-Test/Idle.
struct ResetTap {};
/// Clocks that stand for a time: no less than that passes, also where TCK is faster than it was asked to be. TCK may
/// stand still in any stable state (IEEE 1149.1, 4.2: a stopped TCK loses nothing), so where `fewer` is set the port
/// leaves out clocks that it could not give in that time.
struct Lasting {
  std::chrono::microseconds time{};
  bool fewer = false;
};
/// Clocks in Run-Test/Idle.
struct Idle {
  std::uint32_t clocks = 0;
  Lasting lasting = {};
};
/// Time without clocks, in any stable state; at least this long.
struct Delay {
  std::chrono::microseconds time{};
};
/// Clocks with one level on TMS, and with TDI 0: a way from state to state, or time spent in one that is not
/// Run-Test/Idle.
struct Clocks {
  bool tms = false;
  std::uint32_t count = 0;
  Lasting lasting = {};
};

/// Work for a chain, carried out in order and handed down whole. Begins and ends in Run-Test/Idle, if who makes it does
/// not keep account of the TAP himself: where one scan is cut into pieces, or states are gone through one by one.
class ScanBatch {
 public:
  using Item = std::variant<Scan, ResetTap, Idle, Delay, Clocks>;

  ScanBatch();
  ScanBatch(const ScanBatch&);
  ScanBatch(ScanBatch&&) noexcept;
  ScanBatch& operator=(const ScanBatch&);
  ScanBatch& operator=(ScanBatch&&) noexcept;
  ~ScanBatch();

  ScanBatch& reset();
  ScanBatch& idle(std::uint32_t clocks, Lasting lasting = {});
  ScanBatch& delay(std::chrono::microseconds time);
  ScanBatch& clocks(bool tms, std::uint32_t count, Lasting lasting = {});
  ScanBatch& add(Item item);
  ScanBatch& send(Register into, BitVector out);
  /// All of TDO is wanted.
  ScanBatch& exchange(Register into, BitVector out);

  const std::vector<Item>& items() const { return items_; }
  bool empty() const { return items_.empty(); }

 private:
  std::vector<Item> items_;
};

/// Clocks of TCK that an item takes, the ways between states included.
std::uint64_t clocksOf(const ScanBatch::Item& item);
/// Those of a scan beside its bits.
std::uint64_t clocksAround(Register into, Rest from, Rest until);

/// One entry for each scan that has captures, in order: the wanted bits, joined.
using ScanAnswers = std::vector<BitVector>;

/// A batch as text, for tests and the log: "IR 11111111 | DR 0011 [4..8) | idle 3".
std::string describe(const ScanBatch& batch);

}  // namespace imprimo::jtag
