// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <span>

namespace imprimo::sheet {

/// The words for kinds of memories that a sheet may have; what a bench does with each stands in
/// core/bench/memory_kinds.cpp.
std::span<const char* const> memoryTypes();

}  // namespace imprimo::sheet
