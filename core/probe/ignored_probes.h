// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace imprimo::probe {

/// Addresses ("usb:SERIAL", "usb:@PORT") of probes that this user wants left alone: they are not listed and never
/// chosen by themselves; whoever names one gets it. A file that cannot be read ignores nothing.
std::vector<std::string> ignoredProbes();
/// Throws Usage for what is no address on USB, CannotWrite.
void setIgnoredProbes(const std::vector<std::string>& addresses);
/// A line each.
std::filesystem::path ignoredProbesFile();

}  // namespace imprimo::probe
