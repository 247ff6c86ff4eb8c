// SPDX-License-Identifier: GPL-3.0-or-later
//
// A stream of trace that may be anything: it is taken apart alike in one piece and in two, makes no more than came, and
// is found again behind a synchronization. The same bytes as what comes on a serial port whose rate is looked for.
#include "core/console/baud_search.h"
#include "core/console/itm_ports.h"

namespace {

using namespace imprimo;
using console::ItmStream;

void append(ItmStream::News& all, const ItmStream::News& more) {
  all.writes.insert(all.writes.end(), more.writes.begin(), more.writes.end());
  all.overflows += more.overflows;
  all.strange += more.strange;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size < 2) return 0;
  const ByteSpan bytes(data + 1, size - 1);
  ItmStream whole, cut;
  const ItmStream::News one = whole.add(bytes);
  const std::size_t at = data[0] % bytes.size();
  ItmStream::News two = cut.add(bytes.first(at));
  append(two, cut.add(bytes.subspan(at)));
  if (one.writes != two.writes || one.overflows != two.overflows || one.strange != two.strange) __builtin_trap();
  if (one.writes.size() * 2 > bytes.size()) __builtin_trap();
  std::size_t text = 0;
  const console::ItmPorts ports{{data[0] % 32u, {"level", static_cast<console::ItmPort::As>(data[0] % 6)}}};
  for (const console::Heard& heard : console::itmHeard(one.writes, ports)) text += heard.bytes.size();
  if (text > 64 * bytes.size()) __builtin_trap();
  // At most seven bytes belong to what was begun; behind a synchronization everything is as if new.
  whole.add(Bytes(12, 0));
  whole.add(Bytes{0x80});
  const auto news = whole.add(Bytes{0x01, 'x'});
  if (news.writes != std::vector<ItmStream::Written>{{0, 1, 'x'}}) __builtin_trap();

  console::BaudSearch search;
  for (int i = 0; i < 64 && !search.found(); ++i) {
    search.take(bytes.subspan(i * 7 % bytes.size()), (data[0] + i) % 3 == 0);
    if (search.rate() == 0) __builtin_trap();
  }
  return 0;
}
