// SPDX-License-Identifier: GPL-3.0-or-later
//
// Converting files, as whole processes on one core, each run of ours beside one of objcopy (binutils): 16 MiB, the
// least of several turns. And the memory that 256 MiB take beyond themselves.
#include <benchmark/benchmark.h>
#include <sched.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <fstream>
#include <random>
#include <stdexcept>
#include <string>
#include <vector>

namespace {

namespace fs = std::filesystem;

struct Run {
  double seconds = 0;  ///< of the wall clock
  double cpu = 0;
  double peakMiB = 0;
};

/// One process from start to end, kept on one core.
Run run(const std::vector<std::string>& words) {
  std::vector<char*> arguments;
  for (const std::string& word : words) arguments.push_back(const_cast<char*>(word.c_str()));
  arguments.push_back(nullptr);
  const auto start = std::chrono::steady_clock::now();
  const pid_t child = ::fork();
  if (child == 0) {
    cpu_set_t one;
    CPU_ZERO(&one);
    CPU_SET(0, &one);
    ::sched_setaffinity(0, sizeof one, &one);
    if (std::freopen("/dev/null", "w", stdout) == nullptr) ::_exit(126);
    ::execvp(arguments[0], arguments.data());
    ::_exit(127);
  }
  int status = 0;
  rusage used{};
  ::wait4(child, &status, 0, &used);
  const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
  if (!WIFEXITED(status) || WEXITSTATUS(status) != 0) throw std::runtime_error(words[0] + " failed");
  const auto seconds = [](const timeval& t) {
    return static_cast<double>(t.tv_sec) + static_cast<double>(t.tv_usec) / 1e6;
  };
  return {took.count(), seconds(used.ru_utime) + seconds(used.ru_stime), static_cast<double>(used.ru_maxrss) / 1024};
}

/// Files to convert, made once and taken away at the end.
class Files {
 public:
  Files() {
    fs::create_directories(folder_);
    std::ofstream out(folder_ / "data.bin", std::ios::binary);
    std::mt19937_64 random(16);
    std::vector<std::uint64_t> words(1 << 17);
    for (int i = 0; i < 16; ++i) {
      for (auto& word : words) word = random();
      out.write(reinterpret_cast<const char*>(words.data()), static_cast<std::streamsize>(words.size() * 8));
    }
    out.close();
    run({"objcopy", "-I", "binary", "-O", "ihex", path("data.bin"), path("data.hex")});
    run({"objcopy", "-I", "binary", "-O", "srec", path("data.bin"), path("data.srec")});
  }
  ~Files() { fs::remove_all(folder_); }
  std::string path(const std::string& name) const { return (folder_ / name).string(); }

 private:
  fs::path folder_ = fs::temp_directory_path() / ("imprimo-bench-" + std::to_string(::getpid()));
};

Files& files() {
  static Files all;
  return all;
}

void compare(benchmark::State& state, const std::vector<std::string>& ours, const std::vector<std::string>& theirs) {
  constexpr int kTurns = 9;
  Run best{1e9, 1e9, 0}, other{1e9, 1e9, 0};
  for (auto _ : state) {
    for (int i = 0; i < kTurns; ++i) {
      // Into new files, both: to replace one safely, the file system writes to the disk first, and objcopy does not.
      fs::remove(ours.back());
      fs::remove(theirs.back());
      const Run a = run(ours), b = run(theirs);
      best = {std::min(best.seconds, a.seconds), std::min(best.cpu, a.cpu), 0};
      other = {std::min(other.seconds, b.seconds), std::min(other.cpu, b.cpu), 0};
    }
  }
  state.counters["times_as_fast"] = other.seconds / best.seconds;
  state.counters["times_as_fast_cpu"] = other.cpu / best.cpu;
  state.counters["ours_ms"] = best.seconds * 1e3;
  state.counters["objcopy_ms"] = other.seconds * 1e3;
}

void BM_ReadRecords(benchmark::State& state, const char* kind, const char* name) {
  const std::string from = files().path(name), to = files().path("out.bin"), to2 = files().path("out2.bin");
  compare(state, {IMPRIMOCTL, "convert", from, "-o", to}, {"objcopy", "-I", kind, "-O", "binary", from, to2});
}
void BM_WriteRecords(benchmark::State& state, const char* kind, const char* name) {
  const std::string from = files().path("data.bin"), to = files().path(std::string("out.") + name),
                    to2 = files().path("out2");
  compare(state, {IMPRIMOCTL, "convert", from, "-o", to}, {"objcopy", "-I", "binary", "-O", kind, from, to2});
}
BENCHMARK_CAPTURE(BM_ReadRecords, intel_hex, "ihex", "data.hex")->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(BM_ReadRecords, s_records, "srec", "data.srec")->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(BM_WriteRecords, intel_hex, "ihex", "hex")->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(BM_WriteRecords, s_records, "srec", "s37")->Iterations(1)->Unit(benchmark::kMillisecond);

/// What 256 MiB take beyond their own size, at the peak.
void BM_MemoryBeyondImage(benchmark::State& state, const char* fromFormat, const char* toFormat) {
  const std::string bin = files().path("large.bin"), from = files().path(std::string("large.") + fromFormat);
  {
    std::ofstream out(bin, std::ios::binary);
    std::ifstream in(files().path("data.bin"), std::ios::binary);
    const std::string once{std::istreambuf_iterator<char>(in), {}};
    for (int i = 0; i < 16; ++i) out << once;
  }
  if (from != bin) run({IMPRIMOCTL, "convert", bin, "-o", from});
  Run taken;
  for (auto _ : state)
    taken = run({IMPRIMOCTL, "convert", from, "-o", files().path(std::string("large2.") + toFormat)});
  state.counters["peak_MiB_beyond_image"] = taken.peakMiB - 256;
  for (const char* name : {"large.bin", "large.hex", "large.s37", "large2.bin", "large2.hex"})
    fs::remove(files().path(name));
}
BENCHMARK_CAPTURE(BM_MemoryBeyondImage, raw_to_hex, "bin", "hex")->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(BM_MemoryBeyondImage, hex_to_raw, "hex", "bin")->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(BM_MemoryBeyondImage, s_records_to_raw, "s37", "bin")->Iterations(1)->Unit(benchmark::kMillisecond);

}  // namespace
