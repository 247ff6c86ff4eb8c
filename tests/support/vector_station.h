// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/atomic_file.h"
#include "core/flash/part_card.h"
#include "core/vectors/export.h"
#include "core/vectors/play.h"
#include "tests/support/check.h"
#include "tests/support/world.h"

namespace imprimo::test {

using namespace imprimo::bench;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::vectors;

constexpr const char* kTimes =
    R"("size": "256K", "times": {"page": [0.0004, 0.003], "4K": [0.002, 0.02], "32K": [0.003, 0.03], "64K": [0.004, 0.04], "chip": [1, 9]})";

/// The sheet with what an identification of this bench would have kept in it.
inline sheet::Sheet withLastSeen(sheet::Sheet sheet, Bench& bench) {
  bench.checkChain();
  NoProgress nobody;
  if (sheet.memory("boot-flash").route->load) bench.at("boot-flash").loadRoute(nobody);
  const flash::FlashIdentity& identity = *flash::flashOf(bench.at("boot-flash").identify());
  flash::PartCard card;
  card.name = "boot-flash";
  card.id = identity.id;
  card.geometry = identity.geometry;
  card.commands = identity.commands;
  card.deepPowerDown = identity.facts.deepPowerDown;
  sheet.memories.front().lastSeen = flash::partCardText(card);
  return sheet;
}

class Nobody : public PlayWatch {};

struct NoRecords : RecordSink {
  void keep(const Record&) override {}
};

/// A world with a sheet that knows its flash, and a file of vectors made from it.
struct Station {
  explicit Station(WorldOptions options)
      : world(std::move(options)), sheet(withLastSeen(world.sheet(), world.bench())) {}

  VectorWish wish(const MemoryImage& image, Task task = Task::Program) {
    VectorWish wish;
    wish.writer.hz = 10e6;
    wish.memories.push_back(world.wanted(task, image));
    return wish;
  }
  std::string write(const VectorWish& wish) {
    std::string text;
    NoProgress nobody;
    file = writeVectors(
        sheet, wish, {}, [&](std::string_view some) { text += some; }, nobody);
    return text;
  }
  PlayReport play(World& at, const std::string& text, bool anyChain = false, std::uint64_t from = 0,
                  PlayWatch* watch = nullptr, std::stop_token stop = {}) {
    const std::string path = world.path("file.svf").toStdString();
    writeFileAtomically(path, text);
    Nobody nobody;
    NoRecords records;
    return playVectors({path, from, anyChain, 0}, at.bench().probe(), &at.sheet(), {}, records,
                       watch != nullptr ? *watch : nobody, stop);
  }

  World world;
  sheet::Sheet sheet;
  VectorFile file;
};

inline WorldOptions small(std::size_t devices = 3, std::size_t fpga = 2, const std::string& faults = {}) {
  WorldOptions o;
  o.chain.clear();
  for (std::size_t i = 0; i < devices; ++i) o.chain.push_back({static_cast<unsigned>(4 + i * 3 % 7), i % 3 != 1});
  o.fpga = fpga;
  o.flash = kTimes + faults;
  return o;
}

inline MemoryImage someImage(std::uint32_t seed, std::uint64_t at = 0x1500, std::size_t bytes = 0x1800) {
  std::mt19937 random(seed);
  MemoryImage image;
  image.write(at, randomBytes(random, bytes));
  return image;
}

}  // namespace imprimo::test
