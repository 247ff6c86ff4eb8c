// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <iosfwd>
#include <memory>
#include <span>
#include <stop_token>
#include <string>

#include "core/probe/probe_list.h"
#include "ctl/common_options.h"
#include "ctl/option_list.h"

namespace imprimo::ctl {

/// Where a command writes and what ends it early.
struct Context {
  std::ostream& out;  ///< shows control characters, and so does err
  std::ostream& err;
  std::ostream& terminal;  ///< err itself, for what moves the cursor
  std::stop_token stop;
  probe::SystemRoot system;
  std::string store{};  ///< of records and numbers, as --store names it; empty: the usual one
};

/// A command that was added to the command line; its own options are filled in by parsing.
class Command {
 public:
  virtual ~Command() = default;
  /// Returns the exit code, or throws Error where it did not get as far as a run.
  virtual int run(const CommonOptions& common, const Context& context) = 0;
};

/// A command of imprimoctl: its name, its help in a line, and how its options are added. Each is made in its own file
/// and has a row in command_table.cpp.
struct CommandRow {
  const char* name;
  const char* what;
  std::function<std::unique_ptr<Command>(OptionList& own)> add;
};

std::span<const CommandRow> commandTable();

/// A row for a command whose options are a struct that derives from CommonOptions.
template <typename Options>
CommandRow commandRow(const char* name, const char* what, void (*addOptions)(OptionList&, Options&),
                      int (*run)(const Options&, const Context&)) {
  class Row : public Command {
   public:
    explicit Row(int (*carryOut)(const Options&, const Context&)) : run_(carryOut) {}
    int run(const CommonOptions& common, const Context& context) override {
      static_cast<CommonOptions&>(options) = common;
      return run_(options, context);
    }
    Options options;

   private:
    int (*run_)(const Options&, const Context&);
  };
  return {name, what, [=](OptionList& own) -> std::unique_ptr<Command> {
            auto row = std::make_unique<Row>(run);
            addOptions(own, row->options);
            return row;
          }};
}

}  // namespace imprimo::ctl
