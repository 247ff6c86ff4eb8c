// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/bench/bench.h"
#include "core/bsdl/library.h"
#include "core/probe/probe.h"
#include "ctl/command.h"

namespace imprimo::ctl {

/// The files and folders that go with every command, looked at whether this one needs them or not. Throws BadFile.
void checkGlobalFiles(const CommonOptions& options);

probe::ProbeOptions probeOptions(const CommonOptions& options, const Context& context,
                                 std::optional<std::uint32_t> sheetClock);
/// The address that the options name, or that of the only probe there is. Throws NoProbe and Usage.
std::string probeAddress(const CommonOptions& options, const Context& context);
std::unique_ptr<probe::Probe> openProbe(const CommonOptions& options, const Context& context,
                                        std::optional<std::uint32_t> sheetClock);

/// Calls `examine`; where a wait was asked for, until it finds a chain.
void awaitTarget(const CommonOptions& options, const Context& context, jtag::JtagPort& port,
                 std::optional<std::uint32_t> sheetWait, const std::function<void()>& examine);

/// The same for a bench, whose cores are looked for where it has no chain.
void awaitTarget(const CommonOptions& options, const Context& context, bench::Bench& bench,
                 std::optional<std::uint32_t> sheetWait);

/// The sheet, with its warnings told.
sheet::Sheet openSheet(const std::string& file, const CommonOptions& options, const Context& context);

std::unique_ptr<bench::Bench> openBench(const CommonOptions& options, const Context& context,
                                        const sheet::Sheet& sheet);

/// Configuration cards of the user's and of the folders that the options name.
bench::ConfigCardFinder cardFinder(const CommonOptions& options);

/// The user's library and the folders that the options name.
bsdl::Library openLibrary(const CommonOptions& options, const Context& context);

/// The memory that the options mean, when it has to be one. Throws Usage.
std::string oneMemory(const SheetOptions& options, const sheet::Sheet& sheet);
/// The same of a core. Throws Usage.
std::string oneCore(const SheetOptions& options, const sheet::Sheet& sheet);

}  // namespace imprimo::ctl
