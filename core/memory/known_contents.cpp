// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/memory/known_contents.h"

namespace imprimo::memory {

void KnownContents::write(std::uint64_t address, ByteSpan bytes) {
  bytes_.write(address, bytes);
  sure_.add({address, address + bytes.size()});
}

void KnownContents::erase(const AddressRange& range) {
  bytes_.erase(range);
  sure_.remove(range);
}

}  // namespace imprimo::memory
