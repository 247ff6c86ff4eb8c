// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <stop_token>
#include <string>

#include "core/bench/cores/cores.h"
#include "core/console/source.h"
#include "core/console/speech.h"

namespace imprimo::bench {

/// A source of a core by its name in a sheet, as `speech` has it. Throws Usage, Refused.
std::unique_ptr<console::Source> makeConsoleSource(const std::string& name, BenchCore& core,
                                                   const sheet::CoreSpeech& speech);

/// Throws Refused.
std::unique_ptr<console::Source> openSerial(const std::string& port, const console::SerialSettings& settings,
                                            const OpenSerial& open);

/// Takes the marks of all rings in a core's RAM away, before it is restarted.
void strikeRings(BenchCore& core);

/// Listens until the text was said, the program has ended, or the time is over. Throws Stopped, LinkLost, BrokenChain.
console::Speech hearSpeech(BenchCore& core, const sheet::CoreSpeech& wanted, const std::stop_token& stop);

}  // namespace imprimo::bench
