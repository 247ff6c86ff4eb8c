// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/address_range.h"
#include "core/debug/core_control.h"
#include "core/debug/flash_algorithm.h"

namespace imprimo::debug {

/// Throws BadFile where an algorithm, its stack and one page do not fit into this RAM.
void requireRoom(const FlashAlgorithm& algorithm, const AddressRange& ram);

/// A flash algorithm in a core's RAM: loaded and read back, then given sectors to erase and pages to program. Jobs wait
/// in a ring, from which a small loop beside the algorithm (target/resident.s) takes one behind another, so that
/// downloading and programming overlap. Where RAM has no room for two pages, its functions are called one at a time.
/// The core does nothing else while this lives.
class AlgorithmRun {
 public:
  enum class Use : std::uint32_t { Erase = 1, Program = 2, Verify = 3 };
  struct Job {
    std::uint32_t address = 0;
    Bytes bytes{};  ///< of a page; empty for a sector
  };
  /// Told of each job as it is done; false: no more are begun, and those that wait are still done.
  using Told = std::function<bool(std::size_t job)>;

  /// `clockHz`: of the core, which Init is told; 0 where that is not known.
  AlgorithmRun(Core& core, const FlashAlgorithm& algorithm, const AddressRange& ram, std::uint32_t clockHz = 0);

  /// Writes it into RAM and compares what is there then. Throws Refused where it is not as written.
  void load();
  /// Carry jobs out in order. Throw NotErased and NotProgrammed with at(): a reported error, a call that does not come
  /// back, or what was written outside; jobs that were told are done, that at at() may be in any state, and of those
  /// behind it none was begun.
  void erase(std::span<const Job> sectors, const Told& told);
  void program(std::span<const Job> pages, const Told& told);
  /// All of the device with one call, where the algorithm has that. Throws as erase() does.
  void eraseAll();
  /// UnInit, where Init was called.
  void end();
  /// Init and UnInit, and nothing in between: what the algorithm sees to is as it leaves it.
  void once();

 private:
  /// A function of the algorithm, with what is said where it fails.
  struct Act {
    Use use;
    std::uint32_t function;
    const char* name;
    ErrorKind kind;
    std::uint32_t longestMs;
  };
  /// One call of one.
  struct Call {
    const Act* act;
    std::array<std::uint32_t, 3> arguments;
    std::optional<std::uint32_t> at{};  ///< that it works at
    std::optional<std::size_t> job{};   ///< that it is
    ByteSpan bytes{};                   ///< whose address becomes the third argument
  };
  void carryOut(const Act& act, std::span<const Job> jobs, const Told& told);
  void carryOut(const std::vector<Call>& calls, const Told& told);
  std::vector<Call> beginning(Use use) const;
  void oneByOne(std::span<const Call> calls, const Told& told);
  void stream(std::span<const Call> calls, const Told& told);
  std::size_t give(BusBatch& batch, std::span<const Call> calls, std::size_t given, std::size_t done) const;
  std::uint32_t slot(std::size_t number) const { return ring_ + static_cast<std::uint32_t>(number % slots_) * stride_; }
  CoreCall callOf(std::uint32_t function, std::array<std::uint32_t, 4> arguments) const;
  void requireGuards(const Call& call, std::uint32_t below, std::uint32_t above) const;
  [[noreturn]] void refused(const Call& call, std::uint32_t error) const;
  [[noreturn]] void wasReset(const Call& call);
  [[noreturn]] void notBack(const Call& call);

  Core& core_;
  const FlashAlgorithm& algorithm_;
  std::uint32_t clockHz_;
  std::uint32_t back_, resident_, mailbox_, code_, guardBelow_, stack_, ring_, stride_, slots_, guardAbove_;
  std::optional<Use> use_;
  const Act init_, uninit_;
};

}  // namespace imprimo::debug
