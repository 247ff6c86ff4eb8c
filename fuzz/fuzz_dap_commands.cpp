// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdlib>

#include "core/probe/dap/dap_commands.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const imprimo::ByteSpan packet(data, size);
  const auto length = imprimo::probe::dapCommandLength(packet);
  if (length && (*length == 0 || *length > size)) std::abort();
  // What passes has no command of a maker's own at its front.
  if (imprimo::probe::isServed(packet) && (data[0] >= 0x80 || (data[0] > 0x1D && data[0] < 0x7E))) std::abort();
  return 0;
}
