// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/heard/heard_program.h"

#include <QTest>

namespace imprimo::test {

Display::Display() {
  server_.setProgram("Xvfb");
  server_.setArguments({"-displayfd", "1", "-screen", "0", "1280x800x24", "-nolisten", "tcp"});
  server_.start();
  for (int i = 0; i < 100 && number_.isEmpty(); ++i) {
    server_.waitForReadyRead(100);
    number_ = QString::fromLatin1(server_.readAllStandardOutput()).trimmed();
  }
}

Display::~Display() {
  server_.terminate();
  server_.waitForFinished(5000);
}

HeardProgram::HeardProgram() : environment_(QProcessEnvironment::systemEnvironment()) {
  if (display_.name().isEmpty()) {
    trouble_ = "Xvfb did not start";
    return;
  }
  environment_.insert("DISPLAY", display_.name());
  environment_.insert("QT_QPA_PLATFORM", "xcb");
  environment_.insert("QT_LINUX_ACCESSIBILITY_ALWAYS_ON", "1");
  environment_.insert("XDG_DATA_HOME", home_.filePath("data"));
  environment_.insert("XDG_CONFIG_HOME", home_.filePath("config"));
  program_.setProcessEnvironment(environment_);
  program_.setProgram(IMPRIMO_WINDOW);
  program_.setArguments({"--demo", IMPRIMO_DEMO});
  program_.start();
  if (!program_.waitForStarted(10'000)) {
    trouble_ = "the program did not start";
    return;
  }
  app_ = heardProgram("imprimo", 60'000);
  if (!app_) trouble_ = "the program is not on the bus of readers";
}

HeardProgram::~HeardProgram() {
  program_.terminate();
  if (!program_.waitForFinished(10'000)) program_.kill();
}

std::optional<Heard> HeardProgram::until(const QString& name, const QString& role) const {
  std::optional<Heard> found;
  for (int i = 0; i < 60 && !found; ++i) {
    found = app_->find(name, role);
    if (!found) QTest::qWait(200);
  }
  return found;
}

QString HeardProgram::run(const QStringList& words) const {
  QProcess tool;
  tool.setProcessEnvironment(environment_);
  tool.start("xdotool", words);
  tool.waitForFinished(10'000);
  return QString::fromUtf8(tool.readAllStandardOutput()).trimmed();
}

void HeardProgram::type(const QStringList& keys) const {
  run(QStringList{"key", "--delay", "40"} + keys);
}

bool HeardProgram::giveKeyboardTo(const QString& title) const {
  const QStringList windows = run({"search", "--onlyvisible", "--name", title}).split('\n', Qt::SkipEmptyParts);
  if (windows.isEmpty()) return false;
  run({"windowfocus", windows.last()});
  return true;
}

}  // namespace imprimo::test
