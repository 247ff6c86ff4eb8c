// SPDX-License-Identifier: GPL-3.0-or-later
#include "line/health.h"

#include <fmt/format.h>

#include <algorithm>
#include <fstream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/base/user_folders.h"
#include "core/base/utc.h"

namespace imprimo::line {
namespace {

using Json = nlohmann::ordered_json;

constexpr int kRounds = 8;
constexpr std::size_t kMostKept = 2000;  // lines of a file; the first ones stay, since they are what is compared with
constexpr std::size_t kFirst = 50, kLast = 20;

std::filesystem::path fileOf(const std::filesystem::path& folder, const std::string& probe) {
  std::string name;
  for (const char c : probe) name += std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '-' ? c : '_';
  return folder / (name.substr(0, 100) + ".jsonl");
}

std::string lineOf(const LinkSample& sample) {
  Json json = {{"at", sample.at}, {"sent", sample.sent}, {"whole", sample.whole}, {"clock", sample.clockHz}};
  if (sample.fastestHz != 0) json["fastest"] = sample.fastestHz;
  return json.dump() + "\n";
}

void keep(const LinkSample& sample, const std::filesystem::path& folder, const std::string& probe) {
  std::vector<LinkSample> all = readHealth(folder, probe);
  makeFolders(folder);
  const std::filesystem::path file = fileOf(folder, probe);
  if (all.size() < kMostKept) {
    std::ofstream(file, std::ios::app) << lineOf(sample);
    return;
  }
  all.erase(all.begin() + kFirst, all.end() - kMostKept / 2);
  all.push_back(sample);
  std::string text;
  for (const LinkSample& each : all) text += lineOf(each);
  writeFileAtomically(file, text);
}

template <typename Each>
double meanOf(const std::vector<LinkSample>& samples, const Each& each) {
  double sum = 0, count = 0;
  for (const LinkSample& sample : samples) {
    if (const std::optional<double> value = each(sample)) {
      sum += *value;
      count += 1;
    }
  }
  return count == 0 ? -1 : sum / count;
}

std::optional<double> wholePart(const LinkSample& sample) {
  return sample.sent == 0 ? std::nullopt : std::optional(static_cast<double>(sample.whole) / sample.sent);
}

}  // namespace

std::filesystem::path healthFolder() {
  return dataFolder() / "health";
}

std::string probeName(const probe::ProbeInfo& info) {
  return info.serial.empty() ? info.address : info.serial;
}

void noteHealth(bench::Bench& bench, const std::filesystem::path& folder) {
  if (bench.sheet().chain.empty()) return;
  try {
    const jtag::PatternCheck check = bench.checkLink(kRounds);
    keep({utcNow(), check.sent, check.whole, bench.probe().clockHz(), 0}, folder, probeName(bench.probe().info()));
  } catch (const Error&) {
    // The board is gone, or its chain is no chain: that is not the cable's history.
  }
}

void noteFastest(bench::Bench& bench, const std::filesystem::path& folder, const std::stop_token& stop) {
  if (bench.sheet().chain.empty()) return;
  try {
    const bench::ClockReport report = bench.findClock([](const probe::ClockSample&) {}, stop);
    keep({utcNow(), 0, 0, bench.probe().clockHz(), report.chain.highestSound}, folder, probeName(bench.probe().info()));
  } catch (const Error&) {
    // The same.
  }
}

std::vector<LinkSample> readHealth(const std::filesystem::path& folder, const std::string& probe) {
  std::vector<LinkSample> samples;
  std::ifstream file(fileOf(folder, probe));
  for (std::string line; std::getline(file, line);) {
    const Json json = Json::parse(line, nullptr, false);
    if (!json.is_object()) continue;
    const auto number = [&](const char* key) {
      return json.contains(key) && json[key].is_number_unsigned() ? json[key].get<std::uint32_t>() : 0U;
    };
    LinkSample sample;
    if (json.contains("at") && json["at"].is_string()) sample.at = json["at"].get<std::string>();
    sample.sent = static_cast<int>(std::min(number("sent"), 1000U));
    sample.whole = static_cast<int>(std::min(number("whole"), 1000U));
    sample.clockHz = number("clock");
    sample.fastestHz = number("fastest");
    samples.push_back(std::move(sample));
  }
  return samples;
}

std::optional<std::string> worsening(const std::vector<LinkSample>& samples) {
  constexpr double kPatternsLost = 0.02, kClockLost = 0.85;
  if (samples.size() < 2) return std::nullopt;
  const std::size_t first = std::min(kFirst, samples.size() / 2), last = std::min(kLast, samples.size() - first);
  const std::vector<LinkSample> before(samples.begin(), samples.begin() + static_cast<std::ptrdiff_t>(first)),
      now(samples.end() - static_cast<std::ptrdiff_t>(last), samples.end());
  const double wholeBefore = meanOf(before, wholePart), wholeNow = meanOf(now, wholePart);
  if (wholeBefore >= 0 && wholeNow >= 0 && wholeNow < wholeBefore - kPatternsLost)
    return fmt::format("the cable gets worse: {:.0f} of 100 patterns come back whole, at first {:.0f} did",
                       wholeNow * 100, wholeBefore * 100);
  std::vector<LinkSample> clocks;
  std::copy_if(samples.begin(), samples.end(), std::back_inserter(clocks),
               [](const auto& s) { return s.fastestHz != 0; });
  if (clocks.size() >= 2 && clocks.back().fastestHz < kClockLost * clocks.front().fastestHz)
    return fmt::format("the cable gets worse: its fastest sound clock is {}, at first it was {}",
                       hertzText(clocks.back().fastestHz), hertzText(clocks.front().fastestHz));
  return std::nullopt;
}

}  // namespace imprimo::line
