// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace CLI {
class App;
class Option;
}  // namespace CLI

namespace imprimo::ctl {

/// An option that was added to a command; each call says more of it.
class Option {
 public:
  explicit Option(CLI::Option* option) : option_(option) {}
  Option& typeName(const char* name);
  Option& required();
  /// Given once, it takes one value; it can be repeated.
  Option& oneEach();
  Option& exactly(int values);
  /// A whole number, both ends included: "20", "0x14".
  Option& number(std::uint64_t least, std::uint64_t most);
  Option& oneOf(std::vector<std::string> words);

 private:
  CLI::Option* option_;
};

/// The options of a command, as it adds them. Only option_list.cpp and who parses know the library behind it, whose
/// header takes longer to compile than any command.
class OptionList {
 public:
  explicit OptionList(CLI::App& app) : app_(app) {}

  /// `names` as in "-o,--output", or a name alone for what stands without one. `value` is filled in by parsing.
  Option option(const char* names, std::string& value, const char* what);
  Option option(const char* names, std::vector<std::string>& value, const char* what);
  Option option(const char* names, std::optional<std::uint32_t>& value, const char* what);
  Option option(const char* names, std::optional<std::uint64_t>& value, const char* what);
  Option option(const char* names, std::optional<int>& value, const char* what);
  void flag(const char* names, bool& value, const char* what);

 private:
  CLI::App& app_;
};

}  // namespace imprimo::ctl
