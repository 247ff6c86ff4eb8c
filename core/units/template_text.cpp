// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/units/template_text.h"

#include <charconv>
#include <stdexcept>

namespace imprimo::units {
namespace {

constexpr unsigned kWidestField = 64;

TemplateForm formOf(std::string_view text) {
  TemplateForm form;
  form.hexadecimal = text.ends_with('X');
  if (form.hexadecimal) text.remove_suffix(1);
  if (text.empty() && form.hexadecimal) return form;
  const auto [end, failure] = std::from_chars(text.data(), text.data() + text.size(), form.width);
  if (failure != std::errc() || end != text.data() + text.size() || !text.starts_with('0') || form.width > kWidestField)
    throw std::invalid_argument("behind the colon stands how wide it is, like {serial:06} or {serial:08X}");
  return form;
}

}  // namespace

std::string fillTemplate(std::string_view text,
                         const std::function<std::string(const std::string& name, const TemplateForm& form)>& value) {
  std::string filled;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if ((c == '{' || c == '}') && text.substr(i + 1, 1) == std::string_view(&c, 1)) {
      filled += c;
      ++i;
      continue;
    }
    if (c == '}') throw std::invalid_argument("a brace is closed that was not opened");
    if (c != '{') {
      filled += c;
      continue;
    }
    const std::size_t end = text.find('}', i);
    if (end == std::string_view::npos) throw std::invalid_argument("a brace is not closed");
    const std::string_view inside = text.substr(i + 1, end - i - 1);
    const std::size_t colon = inside.find(':');
    filled += value(std::string(inside.substr(0, colon)),
                    colon == std::string_view::npos ? TemplateForm{} : formOf(inside.substr(colon + 1)));
    i = end;
  }
  return filled;
}

}  // namespace imprimo::units
