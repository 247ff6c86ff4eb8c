// SPDX-License-Identifier: GPL-3.0-or-later
//
// The Images view of a 256 MiB image: the ruler and the bytes painted into an image.
#include <benchmark/benchmark.h>

#include <QImage>
#include <QPainter>

#include "app/images/address_ruler.h"
#include "app/images/image_bytes.h"

namespace {

using namespace imprimo;
using namespace imprimo::app;

struct Desk {
  Workbench bench;
  ImageDocument document{bench};
  Desk() {
    Theme::use(ThemeKind::Light);
    ImageState state;
    state.size = 256u << 20;
    state.block = 4096;
    for (std::uint64_t i = 0; i < 4; ++i) {
      Placement p;
      p.pattern = Pattern{Pattern::Random, i, {}, 60u << 20};
      p.at = i * (64u << 20);
      state.placements.push_back(p);
    }
    document.change("", state);
  }
};

template <typename View>
void paint(benchmark::State& state, View& view, QSize size) {
  view.resize(size);
  QImage image(size, QImage::Format_ARGB32_Premultiplied);
  for (auto _ : state) {
    QPainter painter(&image);
    view.draw(painter, Theme::current());
  }
}

void BM_PaintRulerOf256MiB(benchmark::State& state) {
  Desk desk;
  AddressRuler ruler(desk.document);
  paint(state, ruler, {660, 490});
}
void BM_PaintBytesOf256MiB(benchmark::State& state) {
  Desk desk;
  ImageBytes bytes(desk.document);
  desk.document.setPosition(200u << 20);
  paint(state, bytes, {660, 150});
}
/// One of four pieces of 60 MiB goes a block further and back.
void BM_MoveAPieceOf256MiB(benchmark::State& state) {
  Desk desk;
  std::uint64_t to = 192u << 20;
  for (auto _ : state) {
    to ^= 4096;
    desk.document.moveTo(3, to, 1);
  }
}
BENCHMARK(BM_MoveAPieceOf256MiB)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_PaintRulerOf256MiB)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_PaintBytesOf256MiB)->Unit(benchmark::kMillisecond);

}  // namespace
