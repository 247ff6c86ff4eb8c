// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <QTest>
#include <random>
#include <string>

#include "core/base/bytes.h"
#include "core/base/error.h"

namespace imprimo::test {

/// The sentence of the Error that `act` throws; "no error" when it throws none.
template <typename Act>
std::string errorOf(Act&& act) {
  try {
    act();
  } catch (const Error& e) {
    return e.what();
  }
  return "no error";
}

template <typename Act>
std::optional<ErrorKind> kindOf(Act&& act) {
  try {
    act();
  } catch (const Error& e) {
    return e.kind();
  }
  return std::nullopt;
}

inline Bytes randomBytes(std::mt19937& random, std::size_t count) {
  Bytes bytes(count);
  for (auto& b : bytes) b = static_cast<std::uint8_t>(random());
  return bytes;
}

inline std::size_t below(std::mt19937& random, std::size_t limit) {
  return random() % limit;
}

#define COMPARE_TEXT(actual, expected) QCOMPARE(QString::fromStdString(actual), QString::fromStdString(expected))
#define VERIFY_CONTAINS(text, device)                                             \
  QVERIFY2(QString::fromStdString(text).contains(QString::fromStdString(device)), \
           qPrintable(QString::fromStdString(text)))

}  // namespace imprimo::test
