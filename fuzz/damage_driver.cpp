// SPDX-License-Identifier: GPL-3.0-or-later
//
// A short, repeatable run of a fuzz target without libFuzzer: each seed, cut at every length (or at many), and with
// bytes changed, doubled and taken out.
#include <cstdint>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <random>
#include <vector>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);

namespace {

using Bytes = std::vector<std::uint8_t>;

void give(const Bytes& bytes) {
  LLVMFuzzerTestOneInput(bytes.data(), bytes.size());
}

void damage(const Bytes& seed, unsigned number) {
  give(seed);
  const std::size_t step = seed.size() / 400 + 1;
  for (std::size_t n = 0; n < seed.size(); n += step)
    give(Bytes(seed.begin(), seed.begin() + static_cast<std::ptrdiff_t>(n)));
  std::mt19937 random(number);
  const char interesting[] = "0x\"{}[](),:;&'-\n\0\xFF 19";
  for (int round = 0; round < 1500 && !seed.empty(); ++round) {
    Bytes bytes = seed;
    for (unsigned i = 0; i <= random() % 4; ++i) {
      const std::size_t at = random() % bytes.size();
      const auto where = bytes.begin() + static_cast<std::ptrdiff_t>(at);
      switch (random() % 4) {
        case 0:
          bytes[at] = static_cast<std::uint8_t>(random());
          break;
        case 1:
          bytes[at] = static_cast<std::uint8_t>(interesting[random() % (sizeof interesting - 1)]);
          break;
        case 2: {
          const Bytes piece(bytes.begin(), bytes.begin() + static_cast<std::ptrdiff_t>(
                                                               random() % std::min<std::size_t>(bytes.size(), 60)));
          bytes.insert(where, piece.begin(), piece.end());
          break;
        }
        default:
          bytes.erase(where,
                      where + static_cast<std::ptrdiff_t>(std::min<std::size_t>(bytes.size() - at, random() % 20)));
      }
      if (bytes.empty()) break;
    }
    give(bytes);
  }
}

}  // namespace

int main(int argc, char** argv) {
  unsigned seeds = 0;
  for (int i = 1; i < argc; ++i) {
    for (const auto& entry : std::filesystem::directory_iterator(argv[i])) {
      std::ifstream file(entry.path(), std::ios::binary);
      damage(Bytes(std::istreambuf_iterator<char>(file), {}), ++seeds);
    }
  }
  std::printf("%u seeds\n", seeds);
  return seeds == 0 ? 1 : 0;
}
