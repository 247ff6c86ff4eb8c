// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <vector>

#include "core/base/address_range.h"
#include "core/base/bytes.h"
#include "core/debug/core_control.h"

namespace imprimo::debug {

/// Sums are of whole pieces of so many bytes.
constexpr std::uint32_t kSummedAtOnce = 64;

/// What target/checksum.s makes of these bytes, whose number is a multiple of kSummedAtOnce.
std::uint64_t sumOf(ByteSpan bytes);

/// Has the core make sums of `count` sectors of `size` bytes each, a multiple of kSummedAtOnce, one behind another. It
/// is halted afterwards; of `ram` as much is used as it takes, and put back. Throws Refused where the core does not
/// come back, and what it stands at; LinkLost.
std::vector<std::uint64_t> sumsByCore(Core& core, const AddressRange& ram, std::uint32_t from, std::uint32_t size,
                                      std::size_t count);

}  // namespace imprimo::debug
