// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <span>

#include "app/shell/view.h"

namespace imprimo::app {

/// The views of the window, in their order.
std::span<const ViewRow> viewTable();

}  // namespace imprimo::app
