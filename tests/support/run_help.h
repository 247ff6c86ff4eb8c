// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <stop_token>

#include "core/run/runner.h"
#include "tests/support/check.h"

namespace imprimo::test {

/// A flash that is quick, so that many runs take little time; for WorldOptions::flash.
constexpr const char* kQuickTimes =
    R"("times": {"page": [0.0004, 0.003], "4K": [0.002, 0.02], "32K": [0.003, 0.03], "64K": [0.004, 0.04], "chip": [1, 9]})";

inline std::string quickFlash(const std::string& size) {
  std::string text = "\"size\": \"";
  text.append(size).append("\", ").append(kQuickTimes);
  return text;
}

inline Bytes bytesOf(unsigned seed, std::size_t count) {
  std::mt19937 random(seed);
  return randomBytes(random, count);
}

inline MemoryImage imageAt(std::uint64_t address, const Bytes& bytes) {
  MemoryImage image;
  image.write(address, bytes);
  return image;
}

/// Stops a run at the n-th piece of progress.
struct StopAt : run::RunObserver {
  explicit StopAt(std::size_t n) : left(n) {}
  void advanced(std::size_t, const AddressRange&, const Amount&) override {
    if (--left == 0) source.request_stop();
  }
  std::size_t left;
  std::stop_source source;
};

}  // namespace imprimo::test
