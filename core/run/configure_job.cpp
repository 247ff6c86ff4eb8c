// SPDX-License-Identifier: GPL-3.0-or-later
//
// What is asked for a device, with its files, made into something that can be carried out.
#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/bsdl/lexer.h"
#include "core/plan/plan_steps.h"
#include "core/run/configure_runner.h"

namespace imprimo::run {
namespace {

std::set<std::string> upper(const std::set<std::string>& names) {
  std::set<std::string> result;
  for (const std::string& name : names) result.insert(bsdl::upperCase(name));
  return result;
}

bool putsUsercode(const bsdl::IscDescription& isc, const bsdl::IscName& procedure) {
  for (const bsdl::IscName& flow : isc.procedure(procedure)->flows) {
    const bool code = bsdl::sameWord(flow.data, "USERCODE") || bsdl::sameWord(procedure.data, "USERCODE");
    if (code && isc.flow(flow)->writesInput()) return true;
  }
  return false;
}

/// A user code that the file has goes in with the rest, where the device has a procedure of choice for it.
void addUsercode(ConfigureWish& wish, const bench::DeviceConfig& device, const configure::ConfigData* data) {
  if (!wish.is("program") || data == nullptr || data->section("USERCODE") == nullptr || !device.description->isc)
    return;
  const bsdl::IscAction* action = device.description->isc->action(wish.actionName(), wish.actionData());
  if (action == nullptr) return;
  for (const bsdl::IscAction::Use& use : action->procedures) {
    const bool left = upper(wish.without).contains(bsdl::upperCase(use.procedure.name));
    if (!left && use.need == bsdl::IscAction::Use::Need::Optional &&
        putsUsercode(*device.description->isc, use.procedure))
      wish.with.insert(use.procedure.name);
  }
}

/// Throws Usage for a procedure that the action does not leave to choice.
void requireChoices(const ConfigureWish& wish, const bench::DeviceConfig& device) {
  std::set<std::string> known;
  std::string list;
  for (const DeviceAction& action : actionsOf(device)) {
    if (!bsdl::sameWord(action.name, wish.actionName()) || !bsdl::sameWord(action.data, wish.actionData())) continue;
    for (const auto& choice : action.choices) {
      if (known.insert(bsdl::upperCase(choice.procedure)).second) list += (list.empty() ? "" : ", ") + choice.procedure;
    }
  }
  for (const std::set<std::string>* names : {&wish.with, &wish.without}) {
    for (const std::string& name : *names) {
      if (known.contains(bsdl::upperCase(name))) continue;
      throw Error(ErrorKind::Usage,
                  fmt::format("{} of {} has no procedure '{}' that is done or left out by choice", wish.action,
                              device.target.name, name),
                  list.empty() ? "It has none at all." : fmt::format("It has: {}.", list));
    }
  }
}

/// What the sheet's file says that is not part of the wish.
std::vector<std::string> warningsOf(const ConfigureJob& job) {
  std::vector<std::string> warnings;
  const bool secures = std::any_of(job.procedure->stages().begin(), job.procedure->stages().end(),
                                   [](const configure::Stage& s) { return s.secures; });
  if (job.data && job.data->security == true && !secures)
    warnings.push_back(
        "The file asks for the security fuse (G1); it was not set, because that was not asked for here.");
  return warnings;
}

}  // namespace

bool ConfigureWish::is(std::string_view name) const {
  return bsdl::sameWord(actionName(), name);
}

std::string ConfigureWish::actionName() const {
  return action.substr(0, action.find('('));
}

std::string ConfigureWish::actionData() const {
  const std::size_t open = action.find('(');
  return open == std::string::npos ? "" : action.substr(open + 1, action.find(')') - open - 1);
}

std::vector<DeviceAction> actionsOf(const bench::DeviceConfig& config) {
  if (config.byCard()) return {{"program", "", config.card->takesFile(), false, true, {}}};
  std::vector<DeviceAction> actions;
  if (!config.description->isc) return actions;
  const bsdl::IscDescription& isc = *config.description->isc;
  for (const bsdl::IscAction& a : isc.actions) {
    DeviceAction action{a.name.name, a.name.data, false, false, false, {}};
    for (const bsdl::IscAction::Use& use : a.procedures) {
      using Need = bsdl::IscAction::Use::Need;
      if (use.need != Need::Mandatory) action.choices.push_back({use.procedure.name, use.need == Need::Recommended});
      for (const bsdl::IscName& flow : isc.procedure(use.procedure)->flows) {
        action.needsFile = action.needsFile || (use.need != Need::Optional && isc.flow(flow)->takesInput());
        action.reads = action.reads || isc.flow(flow)->givesOutput();
        action.changes = action.changes || isc.flow(flow)->changes();
      }
    }
    actions.push_back(std::move(action));
  }
  return actions;
}

bool takesUsercode(const bench::DeviceConfig& config, const DeviceAction& action) {
  if (config.byCard() || !config.description->isc) return false;
  const bsdl::IscDescription& isc = *config.description->isc;
  const bsdl::IscAction* found = isc.action(action.name, action.data);
  return found != nullptr && std::any_of(found->procedures.begin(), found->procedures.end(),
                                         [&](const auto& use) { return putsUsercode(isc, use.procedure); });
}

std::unique_ptr<ConfigureJob> prepareConfigure(bench::DeviceConfigPtr config, ConfigureWish wish,
                                               std::uint32_t clockHz) {
  auto job = std::make_unique<ConfigureJob>();
  job->wish = std::move(wish);
  job->config = std::move(config);
  const bench::DeviceConfig& device = *job->config;
  if (!device.canConfigure() && device.description->iscProblem.empty()) {
    throw Error(
        ErrorKind::Usage,
        fmt::format("nothing says how {} ({}) is configured", device.target.name, device.description->entity),
        "Take its maker's BSDL file for IEEE 1532, or give it a configuration card (\"configure\" in the sheet).");
  }
  requireChoices(job->wish, device);
  if (job->wish.file) job->data = configure::readConfigData(*job->wish.file, {}, device.highBitFirst());
  if (job->wish.usercode) {
    if (!job->data) job->data.emplace();
    job->data->setUsercode(*job->wish.usercode);
  }
  const configure::ConfigData* data = job->data ? &*job->data : nullptr;
  if (device.byCard()) {
    if (!job->wish.is("program"))
      throw Error(ErrorKind::Usage,
                  fmt::format("{} is configured by its card, which knows only \"program\"", device.target.name));
    if ((data == nullptr || !job->wish.file) && device.card->takesFile())
      throw Error(ErrorKind::Usage, fmt::format("{} needs a file", device.target.name),
                  "Name one, or put it into the sheet's \"configurations\".");
    if (data != nullptr && !device.card->takesFile())
      throw Error(ErrorKind::Usage,
                  fmt::format("the card of {} plays its own file and takes none", device.target.name));
    if (data != nullptr) configure::checkData(*device.card, *data, device.idcodes);
    job->procedure = configure::cardProcedure(device.target, *device.card, device.card->configure, data, clockHz);
  } else {
    if (data != nullptr && device.card && job->wish.file) configure::checkData(*device.card, *data, device.idcodes);
    addUsercode(job->wish, device, data);
    job->procedure = configure::iscProcedure(
        device.target,
        {job->wish.actionName(), job->wish.actionData(), upper(job->wish.with), upper(job->wish.without)}, data,
        clockHz);
  }
  if (job->wish.waitSeconds) plan::addAwaitStep(job->plan, *job->wish.waitSeconds);
  plan::addCheckStep(job->plan);
  for (const configure::Stage& stage : job->procedure->stages()) {
    plan::Step step;
    step.kind = plan::StepKind::Configure;
    step.title = stage.title;
    step.why = stage.why;
    step.amount = stage.amount;
    step.seconds = stage.seconds;
    job->plan.steps.push_back(std::move(step));
  }
  plan::Step look;
  look.kind = job->wish.restart ? plan::StepKind::Restart : plan::StepKind::Look;
  look.title = job->wish.restart ? "Restart it" : fmt::format("Look how {} is now", device.target.name);
  look.why = job->wish.restart ? "as requested" : "its status and user code tell whether it took";
  look.seconds = 0.01;
  job->plan.steps.push_back(std::move(look));
  job->plan.complete = true;
  job->warnings = warningsOf(*job);
  return job;
}

std::string iscDataText(const std::string& entity, const std::string& name, const BitVector& bits) {
  constexpr std::size_t kRow = 256;
  std::string text = fmt::format("STD_1532_2002;\nENTITY {};\nDATA {} {{\n", entity, name);
  for (std::size_t at = 0; at < bits.size(); at += kRow) {
    const BitVector row = bits.slice(at, std::min(kRow, bits.size() - at));
    text += fmt::format("  {}:{}\n", row.size(), row.digits());
  }
  return text + "};\n";
}

}  // namespace imprimo::run
