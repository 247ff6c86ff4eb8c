// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/look/address_text.h"

#include <QRegularExpression>

#include "core/base/number.h"

namespace imprimo::app {

std::optional<std::uint64_t> parseAddress(const QString& text) {
  const std::string typed = text.trimmed().toStdString();
  if (const auto number = parseNumber(typed)) return number;
  static const QRegularExpression hex("^[0-9A-Fa-f]+$");
  if (!hex.match(text.trimmed()).hasMatch()) return std::nullopt;
  return parseNumber("0x" + typed);
}

}  // namespace imprimo::app
