// SPDX-License-Identifier: GPL-3.0-or-later
//
// The program in a real window, as a reader gets it over the bus of the session. Says what it looked at. Pages,
// dialogs and what pops up are gone through in the process (tst_spoken.cpp): only keys lead there.
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>
#include <map>

#include "tests/heard/heard_tree.h"
#include "tests/support/test_registry.h"

using namespace imprimo::test;

namespace {

constexpr int kPatience = 60'000;

/// A display of its own.
class Display {
 public:
  Display() {
    server_.setProgram("Xvfb");
    server_.setArguments({"-displayfd", "1", "-screen", "0", "1280x800x24", "-nolisten", "tcp"});
    server_.start();
    for (int i = 0; i < 100 && number_.isEmpty(); ++i) {
      server_.waitForReadyRead(100);
      number_ = QString::fromLatin1(server_.readAllStandardOutput()).trimmed();
    }
  }
  ~Display() {
    server_.terminate();
    server_.waitForFinished(5000);
  }
  QString name() const { return number_.isEmpty() ? QString() : ":" + number_; }

 private:
  QProcess server_;
  QString number_;
};

struct Look {
  int objects = 0, stops = 0;
  QStringList wrong;
};

/// What is painted and has to have children.
const QStringList kPainted{"Scan chain",
                           "Sector map",
                           "What the tiles mean",
                           "Planned and actual bytes",
                           "Steps",
                           "The image on a ruler of addresses",
                           "Bytes as in the file and as they will be stored",
                           "The package from above",
                           "What the target says",
                           "Days"};

void goThrough(const Heard& object, const QString& path, Look& look, QStringList& painted, int depth = 0) {
  if (depth > 24) return;
  ++look.objects;
  const QString name = object.name(), role = object.role();
  const QString here = path + " / " + (name.isEmpty() ? role : name.left(40));
  if (kPainted.contains(name) && object.isShowing()) {
    painted += name;
    if (object.childCount() == 0) look.wrong += "painted, and mute: " + here;
  }
  std::map<QString, int> names;
  for (const Heard& child : object.children()) {
    if (!child.isShowing()) continue;
    if (child.isFocusable()) {
      ++look.stops;
      const QString says = child.name();
      // A scroll bar and the line of a box are parts of what has a name.
      const QString kind = child.role();
      const bool part = kind == "scroll bar" || role == "combo box" || kind == "filler" || kind == "panel";
      if (says.isEmpty() && !part) look.wrong += "no name: " + here + " / " + kind;
      if (!says.isEmpty() && ++names[kind + " " + says] == 2) look.wrong += "twice: " + here + " / " + says;
    }
    goThrough(child, here, look, painted, depth + 1);
  }
}

}  // namespace

class HeardTest : public QObject {
  Q_OBJECT
 private slots:
  void everythingIsHeard() {
    const Display display;
    QVERIFY2(!display.name().isEmpty(), "Xvfb did not start");
    QTemporaryDir home;
    QProcess program;
    QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
    environment.insert("DISPLAY", display.name());
    environment.insert("QT_QPA_PLATFORM", "xcb");
    environment.insert("QT_LINUX_ACCESSIBILITY_ALWAYS_ON", "1");
    environment.insert("XDG_DATA_HOME", home.filePath("data"));
    environment.insert("XDG_CONFIG_HOME", home.filePath("config"));
    program.setProcessEnvironment(environment);
    program.setProgram(IMPRIMO_WINDOW);
    program.setArguments({"--demo", IMPRIMO_DEMO});
    program.start();
    QVERIFY(program.waitForStarted(10'000));
    const auto ended = qScopeGuard([&] {
      program.terminate();
      if (!program.waitForFinished(10'000)) program.kill();
    });
    const auto app = heardProgram("imprimo", kPatience);
    QVERIFY2(app.has_value(), "the program is not on the bus of readers");
    const auto until = [&](const char* name, const char* role) {
      std::optional<Heard> found;
      for (int i = 0; i < 60 && !found; ++i) {
        found = app->find(name, role);
        if (!found) QTest::qWait(200);
      }
      return found;
    };
    const auto load = until("Load the bridge", "push button");
    QVERIFY(load && load->press());
    QVERIFY(until("0x000000", "list item"));
    QStringList painted, wrong;
    QStringList looked;
    const auto look = [&](const QString& what) {
      Look seen;
      for (const Heard& window : app->children()) goThrough(window, what, seen, painted);
      qInfo("%s: %d objects, %d of them can have the keys", qPrintable(what), seen.objects, seen.stops);
      QVERIFY2(seen.objects > 10, qPrintable(what));
      wrong += seen.wrong;
      looked += what;
    };
    // The run tells what it comes to, and not each of its thousand pages.
    look("Bench");
    {
      const auto go = until("Write", "push button");
      QVERIFY(go.has_value());
      const Ears ears;
      QVERIFY(go->press());
      QVERIFY(until("Happening now", "label") || until("Done", "label"));
      QVERIFY(until("Done", "label"));
      QTest::qWait(500);
      qInfo("the run: %d events", ears.heard());
      QVERIFY2(ears.heard() > 0 && ears.heard() <= 200, qPrintable("\n" + ears.most()));
    }
    {
      // Another thing on the rail: another page comes, and of the rail itself nothing more is told than where one is.
      const auto device = until("Device 1", "list item");
      QVERIFY(device.has_value());
      const Ears ears;
      QVERIFY(device->press());
      QTest::qWait(500);
      qInfo("another item of the rail: %d events", ears.heard());
      QVERIFY2(ears.of("Scan chain") <= 1, qPrintable("\n" + ears.most()));
      const auto memory = until("Memory boot-flash", "list item");
      QVERIFY(memory && memory->press());
      QTest::qWait(300);
    }
    for (const char* view : {"Images", "Vectors", "Pins", "Console", "Line", "Records", "Bench"}) {
      const auto tab = until(view, "page tab");
      QVERIFY2(tab.has_value(), view);
      QVERIFY(tab->press());
      QTest::qWait(400);
      look(view);
    }
    painted.removeDuplicates();
    wrong.removeDuplicates();
    QVERIFY2(wrong.isEmpty(), qPrintable("\n" + wrong.join("\n")));
    for (const QString& name : kPainted) QVERIFY2(painted.contains(name), qPrintable(name));
    QCOMPARE(looked.size(), 8);
  }
};

IMPRIMO_TEST(HeardTest);
#include "tst_heard.moc"
