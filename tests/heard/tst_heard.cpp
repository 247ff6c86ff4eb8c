// SPDX-License-Identifier: GPL-3.0-or-later
//
// The program in a real window, as a reader gets it over the bus of the session, with keys from a keyboard. Says what
// it looked at.
#include <QTest>
#include <map>

#include "tests/heard/heard_program.h"
#include "tests/support/test_registry.h"

using namespace imprimo::test;

namespace {

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
      // What a table has in its cells may be nothing, or the same twice.
      if (kind == "table cell") continue;
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
    const HeardProgram program;
    QVERIFY2(program.trouble().isEmpty(), qPrintable(program.trouble()));
    const auto until = [&](const char* name, const char* role) { return program.until(name, role); };
    const auto load = until("Load the bridge", "push button");
    QVERIFY(load && load->press());
    QVERIFY(until("0x000000", "list item"));
    QStringList painted, wrong;
    QStringList looked;
    const auto look = [&](const QString& what) {
      Look seen;
      for (const Heard& window : program.app().children()) goThrough(window, what, seen, painted);
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

  /// Pages and dialogs, by their keys; each is closed by Escape or Ctrl+W, and the keys are in the window again.
  void pagesAndDialogsAreHeard() {
    const HeardProgram program;
    QVERIFY2(program.trouble().isEmpty(), qPrintable(program.trouble()));
    const auto load = program.until("Load the bridge", "push button");
    QVERIFY(load && load->press());
    QVERIFY(program.until("0x000000", "list item"));
    struct Place {
      const char *key, *what, *close;
      const char* shows;  ///< something that is only there
    };
    const Place places[] = {{"ctrl+shift+d", "sheet page", "ctrl+w", "The sheet, value by value"},
                            {"ctrl+shift+l", "library page", "ctrl+w", "Search the library"},
                            {"F1", "guide and keys", "Escape", "Search keys and guide"},
                            {"ctrl+shift+n", "chips", "Escape", "Choose a chip"},
                            {"ctrl+o", "opening a file", "Escape", "Open a job sheet"},
                            {"ctrl+shift+s", "saving", "Escape", "Save the job sheet"}};
    QStringList wrong, painted;
    for (const Place& place : places) {
      // No window manager gives the keyboard back to who had it before a dialog.
      QVERIFY(program.giveKeyboardTo("Imprimo"));
      program.type({place.key});
      QVERIFY2(program.until(place.shows, {}), place.what);
      QTest::qWait(300);
      Look seen;
      for (const Heard& window : program.app().children()) goThrough(window, place.what, seen, painted);
      qInfo("%s: %d objects, %d of them can have the keys", place.what, seen.objects, seen.stops);
      wrong += seen.wrong;
      program.type({place.close});
      QTest::qWait(300);
      QVERIFY2(!program.app().find(place.shows, {}), place.what);
    }
    wrong.removeDuplicates();
    QVERIFY2(wrong.isEmpty(), qPrintable("\n" + wrong.join("\n")));
  }

  /// What pops up hangs in no tree: it is heard as the keys go over it.
  void menusAreHeard() {
    const HeardProgram program;
    QVERIFY2(program.trouble().isEmpty(), qPrintable(program.trouble()));
    const auto load = program.until("Load the bridge", "push button");
    QVERIFY(load && load->press());
    QVERIFY(program.until("0x000000", "list item"));
    QVERIFY(program.giveKeyboardTo("Imprimo"));
    for (const bool isWindowMenu : {true, false}) {
      if (!isWindowMenu) {
        const Ears ears;
        for (int i = 0; i < 60 && !ears.focused().value(ears.focused().size() - 1).startsWith("More"); ++i) {
          program.type({"Tab"});
          QTest::qWait(60);
        }
        QVERIFY2(ears.focused().last().startsWith("More"), qPrintable(ears.focused().join(", ")));
      }
      QTest::qWait(200);
      const Ears ears;
      program.type({isWindowMenu ? "F10" : "space"});
      QTest::qWait(300);
      program.type({"Down", "Down", "Down", "Down", "Down", "Down"});
      QTest::qWait(500);
      QStringList told = ears.focused();
      program.type({"Escape"});
      QTest::qWait(200);
      qInfo("%s: %s", isWindowMenu ? "the window's menu" : "a memory's menu", qPrintable(told.join(", ")));
      QVERIFY2(!told.contains(QString()), "an item without a name");
      QVERIFY2(told.removeDuplicates() <= 1 && told.size() >= 5, qPrintable(told.join(", ")));
    }
    const Ears ears;
    program.type({"ctrl+k"});
    QTest::qWait(300);
    program.type({"Tab", "Tab", "Tab"});
    QTest::qWait(500);
    const QStringList probes = ears.focused();
    qInfo("probes: %s", qPrintable(probes.join(", ")));
    QVERIFY2(probes.contains("Address of a probe") && !probes.contains(QString()), qPrintable(probes.join(", ")));
  }
};

IMPRIMO_TEST(HeardTest);
#include "tst_heard.moc"
