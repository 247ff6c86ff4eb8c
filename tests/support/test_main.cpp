// SPDX-License-Identifier: GPL-3.0-or-later
//
// Runs every test class of a program, with data and settings folders of their own.
#include <QTemporaryDir>
#include <QTest>
#include <cstdio>
#include <exception>

#include "tests/support/test_registry.h"

#ifdef IMPRIMO_TEST_WIDGETS
#include <QApplication>
using Application = QApplication;
#else
#include <QCoreApplication>
using Application = QCoreApplication;
#endif

namespace imprimo::test {
std::vector<MakeTest>& registeredTests() {
  static std::vector<MakeTest> tests;
  return tests;
}
}  // namespace imprimo::test

int main(int argc, char** argv) {
  QTemporaryDir home;
  qputenv("XDG_DATA_HOME", home.filePath("data").toUtf8());
  qputenv("XDG_CONFIG_HOME", home.filePath("config").toUtf8());
  qputenv("XDG_STATE_HOME", home.filePath("state").toUtf8());
  qputenv("XDG_CACHE_HOME", home.filePath("cache").toUtf8());
  qputenv("QT_QPA_PLATFORM", "offscreen");
  qputenv("QTEST_DISABLE_STACK_DUMP", "1");  // a debugger that starts by itself can hang a machine without a terminal
  Application application(argc, argv);
  Application::setOrganizationName("imprimo-tests");
  Application::setApplicationName("imprimo-tests");
  QStringList arguments = Application::arguments();
  arguments << "-nocrashhandler";
  if (qEnvironmentVariableIsSet("IMPRIMO_TEST_QUIET")) arguments << "-silent";  // what failed is not lost in the rest
  const QByteArray only = qgetenv("IMPRIMO_TEST_CLASS");  // one class alone, while it is worked on
  int failures = 0;
  QStringList badClasses;
  for (const auto& make : imprimo::test::registeredTests()) {
    try {
      const auto test = make();
      if (!only.isEmpty() && only != test->metaObject()->className()) continue;
      const int failed = QTest::qExec(test.get(), arguments);
      if (failed != 0) badClasses << test->metaObject()->className();
      failures += failed;
    } catch (const std::exception& e) {
      std::fprintf(stderr, "FAIL!  : an exception left a test: %s\n", e.what());
      ++failures;
    }
  }
  if (imprimo::test::registeredTests().empty()) {
    std::fputs("no test is registered\n", stderr);
    return 1;
  }
  if (!badClasses.isEmpty()) std::fprintf(stderr, "failed: %s\n", qPrintable(badClasses.join(", ")));
  return failures == 0 ? 0 : 1;
}
