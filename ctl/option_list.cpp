// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/option_list.h"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>

#include "ctl/usage_sentence.h"

namespace imprimo::ctl {

Option& Option::typeName(const char* name) {
  option_->type_name(name);
  return *this;
}

Option& Option::required() {
  option_->required();
  return *this;
}

Option& Option::oneEach() {
  option_->allow_extra_args(false);
  return *this;
}

Option& Option::exactly(int values) {
  option_->expected(values);
  return *this;
}

Option& Option::number(std::uint64_t least, std::uint64_t most) {
  option_->check(CLI::Validator([=](std::string& text) { return takeWholeNumber(text, least, most); }, std::string(),
                                std::string()));
  return *this;
}

Option& Option::oneOf(std::vector<std::string> words) {
  option_->check(CLI::Validator(
      [words = std::move(words)](const std::string& text) -> std::string {
        if (std::find(words.begin(), words.end(), text) != words.end()) return {};
        return fmt::format("takes {}, not '{}'", fmt::join(words, ", "), text);
      },
      std::string(), std::string()));
  return *this;
}

Option OptionList::option(const char* names, std::string& value, const char* what) {
  return Option(app_.add_option(names, value, what));
}

Option OptionList::option(const char* names, std::vector<std::string>& value, const char* what) {
  return Option(app_.add_option(names, value, what));
}

Option OptionList::option(const char* names, std::optional<std::uint32_t>& value, const char* what) {
  return Option(app_.add_option(names, value, what));
}

Option OptionList::option(const char* names, std::optional<std::uint64_t>& value, const char* what) {
  return Option(app_.add_option(names, value, what));
}

Option OptionList::option(const char* names, std::optional<int>& value, const char* what) {
  return Option(app_.add_option(names, value, what));
}

void OptionList::flag(const char* names, bool& value, const char* what) {
  app_.add_flag(names, value, what);
}

}  // namespace imprimo::ctl
