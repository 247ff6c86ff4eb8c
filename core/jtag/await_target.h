// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <functional>
#include <stop_token>

#include "core/jtag/jtag_port.h"

namespace imprimo::jtag {

/// Calls `examine` until it throws no BrokenChain, for at most `limit` of the time that is asked to pass; `told` hears
/// the seconds left. Throws BrokenChain with what is still missing then, and Stopped.
void awaitTarget(JtagPort& port, std::chrono::seconds limit, const std::function<void()>& examine,
                 const std::function<void(double left)>& told, const std::stop_token& stop);

}  // namespace imprimo::jtag
