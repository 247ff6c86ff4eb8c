// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/look/address_text.h"

#include <QCoreApplication>
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

QString noAddress(const QString& typed) {
  return QCoreApplication::translate("AddressText", "'%1' is no address: write 0x1F400, 128000 or 125K.").arg(typed);
}

Bytes parseNeedle(const QString& text) {
  const QString needle = text.trimmed();
  if (needle.size() >= 2 && needle.startsWith('"') && needle.endsWith('"')) {
    const QByteArray plain = needle.mid(1, needle.size() - 2).toUtf8();
    return {plain.begin(), plain.end()};
  }
  static const QRegularExpression hex("^([0-9A-Fa-f]{2}\\s*)+$");
  const QByteArray bytes = hex.match(needle).hasMatch() ? QByteArray::fromHex(needle.toLatin1()) : needle.toUtf8();
  return {bytes.begin(), bytes.end()};
}

}  // namespace imprimo::app
