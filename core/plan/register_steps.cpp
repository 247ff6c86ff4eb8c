// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/register_steps.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/plan/plan_steps.h"

namespace imprimo::plan {

void addRegisterSteps(Plan& plan, const Wanted& wanted, const Knowledge& known) {
  for (const RegisterValue& value : wanted.registers) {
    const memory::Register& reg = known.registers.at(memory::registerNamed(known.registers, value.name));
    if (!reg.canWrite) throw Error(ErrorKind::Usage, fmt::format("{} can only be read", reg.name));
    Step& step = addStep(plan, StepKind::SetRegister, fmt::format("Write {} to {}", hexByte(value.value), reg.name),
                         "it is read back afterwards");
    step.reg = reg.name;
    step.field = value.value;
    step.seconds = 0.02;
  }
  plan.complete = true;
}

}  // namespace imprimo::plan
