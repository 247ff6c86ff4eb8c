// SPDX-License-Identifier: GPL-3.0-or-later
//
// The sector map of a 256 MiB part, 65 536 blocks, painted into an image.
#include <benchmark/benchmark.h>

#include <QImage>
#include <QPainter>

#include "app/bench/sector_map.h"

namespace {

using namespace imprimo;
using namespace imprimo::app;

void BM_PaintMapOf65536Blocks(benchmark::State& state) {
  Theme::use(ThemeKind::Light);
  memory::Geometry g;
  g.size = 256u << 20;
  g.erase = {{4096, 0.045, 0.4}};
  BlockLooks looks;
  looks.reset(g, {{0xF000000, 0x10000000}});
  MemoryImage planned, contents;
  for (std::uint64_t at = 0; at < g.size; at += 5 * 65536) planned.write(at, Bytes(65536, 0x11));
  for (std::uint64_t at = 0; at < g.size; at += 3 * 65536) contents.write(at, Bytes(65536, at % 2 != 0 ? 0x11 : 0x22));
  looks.setPlanned(std::move(planned));
  looks.update({{0, g.size}}, contents);
  MemoryCursor cursor;
  cursor.reset({0, g.size});
  SectorMap map(looks, cursor);
  map.resize(static_cast<int>(state.range(0)), static_cast<int>(state.range(1)));
  QImage image(map.size(), QImage::Format_ARGB32_Premultiplied);
  for (auto _ : state) {
    QPainter painter(&image);
    map.draw(painter, map.rect(), Theme::current());
  }
}
BENCHMARK(BM_PaintMapOf65536Blocks)->Args({700, 320})->Args({1340, 480})->Unit(benchmark::kMillisecond);

}  // namespace
