// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cstdint>

#include "core/base/error.h"
#include "core/svf/fit.h"
#include "core/svf/survey.h"
#include "core/vectors/contents.h"

namespace {

using namespace imprimo;

/// Answers with zeros, and counts.
class NullPort : public jtag::JtagPort {
 public:
  jtag::ScanAnswers run(const jtag::ScanBatch& batch) override {
    jtag::ScanAnswers answers;
    for (const auto& item : batch.items()) {
      const auto* scan = std::get_if<jtag::Scan>(&item);
      if (scan == nullptr || scan->captures.empty()) continue;
      std::size_t bits = 0;
      for (const jtag::BitRange& r : scan->captures) bits += r.size();
      answers.emplace_back(bits);
    }
    return answers;
  }
  std::uint32_t clockHz() const override { return 1'000'000; }
};

class Short : public svf::PlayObserver {
 public:
  std::stop_source stop;
  void advanced(const svf::Played&) override {
    if (++told_ > 2000) stop.request_stop();  // whoever waits for days is let go
  }
  bool goesOnPast(const svf::Mismatch& m) override {
    if (m.first < m.from || m.first - m.from >= m.expected.size() || m.text().empty()) __builtin_trap();
    return true;
  }

 private:
  int told_ = 0;
};

template <typename Act>
void quietly(Act&& act) {
  try {
    act();
  } catch (const Error&) {
    // Saying what is wrong is what a reader is for.
  }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string_view text(reinterpret_cast<const char*>(data), size);
  constexpr std::size_t kLongest = 1 << 14;
  const auto reader = [&] { return svf::Reader(svf::sourceOf(text), "fuzz", kLongest); };

  svf::Reader first = reader();
  const svf::Survey survey = svf::survey(first, 1e6);
  if (survey.whole == survey.problem.has_value()) __builtin_trap();
  if (survey.index.size() != (survey.rows + svf::Survey::kRowsBetween - 1) / svf::Survey::kRowsBetween)
    __builtin_trap();
  if (survey.timeOf(size / 2) > survey.seconds) __builtin_trap();

  svf::Reader second = reader();
  Short watch;
  quietly([&] {
    NullPort port;
    svf::PlayOptions options;
    options.fromPause = size % 2 == 0 ? svf::FromPause::Update : svf::FromPause::Shift;
    const svf::PlayResult result = svf::play(second, port, options, watch, watch.stop.get_token());
    if (result.end == svf::PlayResult::End::Whole && survey.problem) __builtin_trap();
    if (result.end == svf::PlayResult::End::Whole && result.played.drScans != survey.drScans) __builtin_trap();
  });
  svf::Reader third = reader();
  quietly([&] {
    svf::misfit(third,
                svf::ChainView({{"a", 8, 0x0C64AFFD, nullptr}, {"b", 6, 0x0F40AFFD, nullptr}, {"c", 4, {}, nullptr}}));
  });
  svf::Reader fourth = reader();
  quietly([&] {
    for (const auto& memory : vectors::contentsOf(fourth).memories) memory.contradiction();
  });
  return 0;
}
