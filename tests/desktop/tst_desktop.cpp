// SPDX-License-Identifier: GPL-3.0-or-later
//
// What the desktop wishes of colours, as it is told over the bus of the session, which is this test's own.
#include <QApplication>
#include <QDBusConnection>
#include <QDBusConnectionInterface>
#include <QDBusContext>
#include <QDBusMessage>
#include <QDBusVariant>
#include <QProcess>
#include <QSettings>
#include <QSignalSpy>
#include <QTemporaryDir>

#include "app/shell/look_choice.h"
#include "app/shell/sheet_instance.h"
#include "tests/support/test_registry.h"

using namespace imprimo::app;

namespace {

/// The settings of a desktop, as a portal hands them out.
class Portal : public QObject, protected QDBusContext {
  Q_OBJECT
  Q_CLASSINFO("D-Bus Interface", "org.freedesktop.portal.Settings")
 public:
  Portal() : bus_(QDBusConnection::connectToBus(QDBusConnection::SessionBus, "portal")) {
    bus_.registerObject("/org/freedesktop/portal/desktop", this,
                        QDBusConnection::ExportAllSlots | QDBusConnection::ExportAllSignals);
    registered = bus_.registerService("org.freedesktop.portal.Desktop");
  }
  ~Portal() override {
    bus_.unregisterService("org.freedesktop.portal.Desktop");
    QDBusConnection::disconnectFromBus("portal");
  }
  void set(const QString& key, unsigned value) {
    values[key] = value;
    emit SettingChanged("org.freedesktop.appearance", key, QDBusVariant(value));
  }

  bool registered = false;
  int asked = 0;
  QHash<QString, unsigned> values;

 public slots:
  // Wrapped twice, as the interface has it.
  QDBusVariant Read(const QString& group, const QString& key) {
    ++asked;
    if (group != "org.freedesktop.appearance" || !values.contains(key)) {
      sendErrorReply("org.freedesktop.portal.Error.NotFound", "no such setting");
      return QDBusVariant(0u);
    }
    return QDBusVariant(QVariant::fromValue(QDBusVariant(values[key])));
  }

 signals:
  void SettingChanged(const QString& group, const QString& key, const QDBusVariant& value);

 private:
  QDBusConnection bus_;
};

bool shows(ThemeKind kind) {
  return QTest::qWaitFor([kind] { return &Theme::current() == &Theme::of(kind); }, 5000);
}

}  // namespace

class DesktopTest : public QObject {
  Q_OBJECT
 private slots:
  void init() { QSettings().clear(); }

  void coloursFollowTheDesktop() {
    Portal portal;
    QVERIFY(portal.registered);
    portal.values["color-scheme"] = 1;
    {
      const LookChoice look;
      QVERIFY(shows(ThemeKind::Dark));
      portal.set("color-scheme", 2);
      QVERIFY(shows(ThemeKind::Light));
      QCOMPARE(qApp->palette().color(QPalette::Window), Theme::of(ThemeKind::Light).paper);
      portal.set("contrast", 1);
      QVERIFY(shows(ThemeKind::Contrast));
      portal.set("contrast", 0);
      QVERIFY(shows(ThemeKind::Light));
      portal.set("color-scheme", 1);
      QVERIFY(shows(ThemeKind::Dark));
    }
    // The next one comes up dark before anybody was asked.
    const int asked = portal.asked;
    const LookChoice again;
    QCOMPARE(&Theme::current(), &Theme::of(ThemeKind::Dark));
    QCOMPARE(portal.asked, asked);
  }

  void anOwnChoiceGoesBefore() {
    Portal portal;
    portal.values["color-scheme"] = 1;
    QSettings().setValue("theme", "light");
    const LookChoice look;
    QTRY_COMPARE(portal.asked, 2);
    portal.set("contrast", 1);
    QTest::qWait(100);
    QCOMPARE(&Theme::current(), &Theme::of(ThemeKind::Light));
    look.menu()->findChild<QAction*>("theme_system")->trigger();
    QCOMPARE(&Theme::current(), &Theme::of(ThemeKind::Contrast));
  }

  /// A sheet that is open in another window brings that one to the front; when it has another, or goes, it is free.
  void aSheetHasOneWindow() {
    QTemporaryDir folder;
    const QString sheet = folder.filePath("a b-ä.imprimo");
    QFile file(sheet);
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.close();
    QVERIFY(!SheetInstance::bringOther(sheet));
    SheetInstance mine;
    mine.have(sheet);
    // It is this program's own.
    QVERIFY(!SheetInstance::bringOther(sheet));
    const auto other = [&](const char* what) {
      QProcess process;
      process.start("dbus-send", {"--session", "--print-reply", "--dest=org.freedesktop.DBus", "/org/freedesktop/DBus",
                                  "org.freedesktop.DBus.ListNames"});
      process.waitForFinished(5000);
      return QString::fromUtf8(process.readAll()).contains(what);
    };
    QVERIFY(other("org.imprimo.Sheet.s"));
    QSignalSpy asked(&mine, &SheetInstance::asked);
    QDBusConnection bus = QDBusConnection::connectToBus(QDBusConnection::SessionBus, "another");
    const QStringList names = bus.interface()->registeredServiceNames();
    const auto name =
        std::find_if(names.begin(), names.end(), [](const QString& n) { return n.startsWith("org.imprimo"); });
    QVERIFY(name != names.end());
    bus.asyncCall(QDBusMessage::createMethodCall(*name, "/org/imprimo/Sheet", "org.imprimo.Sheet", "bringToFront"));
    QTRY_COMPARE_WITH_TIMEOUT(asked.size(), 1, 5000);
    mine.have({});
    QVERIFY(!other("org.imprimo.Sheet.s"));
    QDBusConnection::disconnectFromBus("another");
  }

  /// A desktop that tells nothing any more: what an earlier one said does not stay for ever.
  void withoutAnAnswerThePaletteSays() {
    QSettings().setValue("desktop/color-scheme", 1);
    const LookChoice look;
    QCOMPARE(&Theme::current(), &Theme::of(ThemeKind::Dark));
    QVERIFY(shows(ThemeKind::Light));
  }
};

IMPRIMO_TEST(DesktopTest);
#include "tst_desktop.moc"
