// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/memory/memory.h"

#include "core/base/error.h"

namespace imprimo::memory {

int Memory::equalSignatures(const Bytes& expected, int times) {
  int equal = 0;
  for (int i = 0; i < times; ++i) {
    try {
      equal += signature() == expected ? 1 : 0;
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::LinkLost) throw;
    }
  }
  return equal;
}

}  // namespace imprimo::memory
