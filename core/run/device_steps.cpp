// SPDX-License-Identifier: GPL-3.0-or-later
//
// The steps of a memory's run that have to do with the part it is behind.
#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "core/bench/cores/core_speech.h"
#include "core/run/step_worker.h"

namespace imprimo::run {

void StepWorker::loadBridge(StepProgress& progress) {
  note(bench_.at(wanted_.memory).loadRoute(progress));
}

void StepWorker::restart() {
  // What an earlier start left in its ring is not what is waited for.
  if (!wanted_.hear.empty()) bench::strikeRings(bench_.core(wanted_.hear));
  if (wanted_.start) {
    const plan::StartFrom& from = *wanted_.start;
    bench_.devices().restartCore(from.core, debug::CoreStart{from.at, from.stack, from.table});
    return;
  }
  state_.record.devices = bench_.devices().restart();
  const std::size_t position = bench_.sheet().memory(wanted_.memory).route->position;
  std::string text;
  for (const bench::DeviceReport& device : state_.record.devices) {
    text += (text.empty() ? "" : "; ") + device.name + ": " + device.text;
    if (position == 0 || device.name != bench_.sheet().chain[position - 1].name) continue;
    const auto code = bench::plannedUsercode(bench_.devices().config(position), wanted_.pieces);
    if (device.runs == false) {
      throw Error(
          ErrorKind::NotProgrammed,
          fmt::format("{} was told to start from {} and does not come up: {}", device.name, wanted_.memory,
                      device.text),
          state_.claims && state_.claims->asPlanned() && !wanted_.noVerify
              ? fmt::format("What was written to {} was confirmed by reading back; look at what its bitstream says of "
                            "its part, and where the part begins to read.",
                            wanted_.memory)
              : fmt::format("What was written to {} was not confirmed: write it again and have it confirmed.",
                            wanted_.memory));
    }
    if (!code || !device.usercode) continue;
    if (*code == *device.usercode) {
      text += ", as the file has it";
      state_.cameUp = fmt::format(" {} came up with the new design (user code {}).", device.name, hexIdcode(*code));
    } else {
      state_.cameUp =
          fmt::format(" {} came up, but with user code {}; the file has {}: it started from something else.",
                      device.name, hexIdcode(*device.usercode), hexIdcode(*code));
    }
  }
  if (!text.empty()) note(std::move(text));
}

void StepWorker::hear(const std::stop_token& stop) {
  state_.record.heard = bench::hearSpeech(bench_.core(wanted_.hear), wanted_.speech, stop);
  state_.cameUp += " " + state_.record.heard->sentence(wanted_.hear);
  note(state_.record.heard->seen ? "said" : "not said");
}

/// Firmware may switch the debug port off, and what was proven before holds all the same.
void StepWorker::watch(const std::stop_token& stop) {
  try {
    state_.record.watched = bench_.core(wanted_.watch).watch(stop);
    state_.cameUp += fmt::format(" {} {}.", wanted_.watch, state_.record.watched->words());
    note(state_.record.watched->words());
  } catch (const Error& e) {
    state_.cameUp += fmt::format(" Whether {} runs was not seen: {}.", wanted_.watch, e.what());
    note(fmt::format("not seen: {}", e.what()));
  }
}

}  // namespace imprimo::run
