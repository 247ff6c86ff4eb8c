// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <random>
#include <string>
#include <vector>

#include "core/bsdl/boundary_description.h"

namespace imprimo::test {

/// A random part: what it is, and one of the many ways to write it down.
struct RandomDevice {
  bsdl::BoundaryDescription device;
  std::string text;
};

/// Valid by IEEE 1149.1, with `cells` boundary cells and an instruction register of 2 to 64 bits.
RandomDevice randomDevice(std::mt19937& random, const std::string& entity, std::size_t cells);

}  // namespace imprimo::test
