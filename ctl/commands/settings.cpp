// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a user has chosen, shown and changed.
#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "settings/settings.h"

namespace imprimo::ctl {
namespace {

struct SettingsOptions : CommonOptions {
  std::string action, key, value;
};

void addOptions(OptionList& own, SettingsOptions& options) {
  own.option("ACTION", options.action, "set or reset; none: list them");
  own.option("KEY", options.key, "set, reset: which one");
  own.option("VALUE", options.value, "set: what it is from now on");
}

void list(const SettingsOptions& options, const Context& context) {
  Json rows = Json::array();
  for (const settings::Setting& each : settings::allSettings()) {
    rows.push_back({{"key", each.key}, {"value", each.value}, {"default", each.usual}, {"kept_in", each.where}});
    if (options.json) continue;
    context.out << fmt::format(
        "{:<16} {}{}\n", each.key, each.value.empty() ? "(nothing)" : each.value,
        each.isUsual() ? "" : fmt::format("   (without a choice: {})", each.usual.empty() ? "nothing" : each.usual));
    context.out << fmt::format("{:<16} {}: {}\n", "", each.what, each.takes);
    context.out << fmt::format("{:<16} kept in {}\n", "", each.where);
  }
  if (options.json) return print(context, {{"settings", std::move(rows)}, {"sent", Json::array()}});
  context.out << "Nothing is ever sent anywhere.\n";
}

int runSettings(const SettingsOptions& options, const Context& context) {
  if (options.action.empty()) {
    list(options, context);
    return 0;
  }
  if (options.action != "set" && options.action != "reset")
    throw Error(ErrorKind::Usage, "'" + options.action + "' is neither set nor reset", "Without it they are listed.");
  if (options.key.empty())
    throw Error(ErrorKind::Usage, options.action + " needs to know which setting", "'imprimoctl settings' lists them.");
  if (options.action == "set") {
    settings::setSetting(options.key, options.value);
  } else {
    settings::resetSetting(options.key);
  }
  for (const settings::Setting& each : settings::allSettings()) {
    if (each.key != options.key) continue;
    if (options.json)
      print(context, {{"key", each.key}, {"value", each.value}});
    else
      context.out << fmt::format("{} {}\n", each.key, each.value.empty() ? "(nothing)" : each.value);
  }
  return 0;
}

}  // namespace

CommandRow settingsCommand() {
  return commandRow<SettingsOptions>("settings", "what you have chosen, where it is kept, and changing it", addOptions,
                                     runSettings);
}

}  // namespace imprimo::ctl
