// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "core/base/bytes.h"

namespace imprimo::spi {

/// How an exchange goes over several lines at once (JESD216F, 1-1-2, 1-4-4 and so on): the first line, or all of them.
struct Lines {
  std::size_t single = SIZE_MAX;  ///< so many bytes of `out` go over the first line
  unsigned out = 1;               ///< lines of the rest of `out`: 1, 2 or 4
  unsigned idle = 0;              ///< clocks behind `out` in which nobody drives
  unsigned in = 1;                ///< lines of what is read
  bool areSeveral() const { return out > 1 || in > 1; }
};
/// Chip select low for `out` and then `read` bytes of 0, whose answers are wanted.
struct Exchange {
  Bytes out;
  std::size_t read = 0;
  /// What will be answered, where that is known beforehand: for a port that writes down what others will do.
  Bytes expected = {};
  Lines lines = {};  ///< more than one only where the port has them
};
/// Go on only if the last of `statusBytes` bytes read behind `command` has (byte & mask) == value.
struct Guard {
  std::uint8_t command = 0;
  std::uint8_t mask = 0;
  std::uint8_t value = 0;
  std::size_t statusBytes = 1;
};
/// Nothing happens for at least this long; with the clock stopped, or running where `clocked` is set.
struct Wait {
  std::chrono::microseconds time{};
  bool clocked = false;
};
/// Waits `typical`, then looks every `step` (0: chosen from `typical`) until (byte read behind `command` & mask) ==
/// value, for at most `limit`.
struct Expect {
  std::uint8_t command = 0;
  std::uint8_t mask = 0;
  std::uint8_t value = 0;
  std::chrono::microseconds typical{};
  std::chrono::microseconds limit{};
  std::chrono::microseconds step{};
};

using SpiItem = std::variant<Exchange, Guard, Wait, Expect>;

/// Work for one SPI memory, carried out in order and handed down whole.
class SpiBatch {
 public:
  SpiBatch();
  SpiBatch(const SpiBatch&);
  SpiBatch(SpiBatch&&) noexcept;
  SpiBatch& operator=(const SpiBatch&);
  SpiBatch& operator=(SpiBatch&&) noexcept;
  ~SpiBatch();

  /// Each returns the item's index, which is also that of its answer.
  std::size_t exchange(Bytes out, std::size_t read = 0, Lines lines = {});
  std::size_t expectAnswer(Bytes out, Bytes answer);
  std::size_t guard(Guard guard);
  std::size_t wait(Wait wait);
  std::size_t expect(Expect expect);

  const std::vector<SpiItem>& items() const { return items_; }

 private:
  std::size_t add(SpiItem item);
  std::vector<SpiItem> items_;
};

struct SpiAnswers {
  /// One for each item: the bytes read; a guard's status bytes; the last status an Expect saw. Empty for items that
  /// answer nothing, and for all behind heldAt.
  std::vector<Bytes> answers;
  /// The guard that was not met; nothing behind it reached the memory.
  std::optional<std::size_t> heldAt;
  /// The Expect whose time ran out; nothing behind it was sent.
  std::optional<std::size_t> timedOutAt;
  /// What the last Expect asked to pass until it was met.
  std::chrono::microseconds waited{};
};

/// Four wires to a memory, by whichever route.
class SpiPort {
 public:
  virtual ~SpiPort() = default;
  /// Throws LinkLost, or NoBridge where the route does not answer.
  virtual SpiAnswers run(const SpiBatch& batch) = 0;
  /// Clock of the route's wires, and clocks that an exchange or a guard takes beside its bytes; for estimates.
  virtual std::uint32_t clockHz() const = 0;
  virtual std::uint32_t clocksPerExchange() const = 0;
  /// Clocks from the end of a command to the first status byte of a guard behind it.
  virtual std::uint32_t clocksBeforeStatus() const = 0;
  /// Lines that can carry data: 1, 2 (mosi and miso both ways) or 4.
  virtual unsigned lines() const { return 1; }
  /// What may be wrong where nothing answers, for people; it may look at the wires for that.
  virtual std::string whySilent();
};

}  // namespace imprimo::spi
