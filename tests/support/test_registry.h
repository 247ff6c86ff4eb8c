// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <functional>
#include <memory>
#include <vector>

namespace imprimo::test {

using MakeTest = std::function<std::unique_ptr<QObject>()>;
std::vector<MakeTest>& registeredTests();

/// Puts a test class into its program; stands once behind each class.
#define IMPRIMO_TEST(Class)                                                               \
  [[maybe_unused]] static const bool registered##Class = [] {                             \
    imprimo::test::registeredTests().push_back([] { return std::make_unique<Class>(); }); \
    return true;                                                                          \
  }()

}  // namespace imprimo::test
