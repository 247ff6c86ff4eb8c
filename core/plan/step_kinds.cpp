// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/step_kinds.h"

#include <algorithm>
#include <stdexcept>

namespace imprimo::plan {

std::span<const StepTraits> stepKinds() {
  static constexpr StepTraits kKinds[] = {
      {StepKind::AwaitTarget, "await-target", true, "identify"},
      {StepKind::CheckChain, "check-chain", true, "identify"},
      {StepKind::Identify, "identify", true, "identify"},
      {StepKind::LoadBridge, "load-bridge", false, "load_bridge"},
      {StepKind::Configure, "configure", false, "configure"},
      {StepKind::Play, "play", false, "play"},
      {StepKind::Read, "read", true, "read"},
      {StepKind::Erase, "erase", false, "erase"},
      {StepKind::Renew, "renew", false, "program"},
      {StepKind::Write, "write", false, "program"},
      {StepKind::Confirm, "confirm", false, "verify"},
      {StepKind::Restart, "restart", false, "restart"},
      {StepKind::Unlock, "unlock"},
      {StepKind::Lock, "lock"},
      {StepKind::SetWord, "set-word"},
      {StepKind::Finish, "finish-earlier"},
      {StepKind::Compare, "compare"},
      {StepKind::Save, "save"},
      {StepKind::Unprotect, "unprotect"},
      {StepKind::Protect, "protect"},
      {StepKind::Trial, "trial"},
      {StepKind::Look, "look"},
      {StepKind::Hear, "hear"},
      {StepKind::Watch, "watch"},
      {StepKind::SetRegister, "set-register"},
  };
  return kKinds;
}

const StepTraits& traitsOf(StepKind kind) {
  const auto kinds = stepKinds();
  const auto found = std::find_if(kinds.begin(), kinds.end(), [&](const StepTraits& t) { return t.kind == kind; });
  if (found == kinds.end()) throw std::logic_error("a kind of step without a row");
  return *found;
}

const char* nameOf(StepKind kind) {
  return traitsOf(kind).name;
}

}  // namespace imprimo::plan
