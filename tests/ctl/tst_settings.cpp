// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a user has chosen, by the command line.
#include <QDir>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QTemporaryDir>
#include <QTest>
#include <sstream>

#include "core/base/error.h"
#include "core/probe/ignored_probes.h"
#include "core/probe/open_probe.h"
#include "core/store/copy_store.h"
#include "core/store/shared_folders.h"
#include "ctl/command_line.h"
#include "records/store_address.h"
#include "settings/settings.h"
#include "tests/support/test_registry.h"
#include "tests/support/usb_tree.h"

using namespace imprimo;
using namespace imprimo::test;

class SettingsTest : public QObject {
  Q_OBJECT

  struct Answer {
    int code;
    QString out, err;
  };
  static Answer tell(const std::vector<std::string>& words, const probe::SystemRoot& system = {}) {
    std::ostringstream out, err;
    const int code = ctl::runCommandLine(words, out, err, {}, system);
    return {code, QString::fromStdString(out.str()), QString::fromStdString(err.str())};
  }
  static QJsonObject of(const QString& key) {
    const Answer all = tell({"settings", "--json"});
    for (const QJsonValue each : QJsonDocument::fromJson(all.out.toUtf8()).object()["settings"].toArray()) {
      if (each.toObject()["key"].toString() == key) return each.toObject();
    }
    return {};
  }

 private slots:
  void allAreListedWithWhereTheyAre() {
    const Answer list = tell({"settings"});
    QCOMPARE(list.code, 0);
    for (const settings::Setting& each : settings::allSettings()) {
      QVERIFY(list.out.contains(QString::fromStdString(each.key)));
      QVERIFY(list.out.contains("kept in " + QString::fromStdString(each.where)));
      QVERIFY2(each.isUsual(), each.key.c_str());
    }
    QVERIFY(list.out.contains("Nothing is ever sent anywhere."));
  }

  /// Each is set, is in effect, and is reset to what it was.
  void eachIsSetAndReset() {
    QTemporaryDir folder;
    QDir(folder.path()).mkdir("with a space");
    const std::string two = folder.path().toStdString() + ":" + folder.filePath("with a space").toStdString();
    const std::pair<const char*, std::string> values[] = {{"look.theme", "contrast"},
                                                          {"look.size", "150"},
                                                          {"library.folders", two},
                                                          {"store", "sqlite:/tmp/line.sqlite"},
                                                          {"copies.bytes", "1048576"},
                                                          {"copies.days", "30"},
                                                          {"probes.ignored", "usb:G-17 usb:@1-4.2"}};
    QCOMPARE(std::size(values), settings::allSettings().size());
    for (const auto& [key, value] : values) {
      const QJsonObject before = of(key);
      QVERIFY2(tell({"settings", "set", key, value}).code == 0, key);
      QCOMPARE(of(key)["value"].toString().toStdString(), value);
      QVERIFY2(of(key)["default"] == before["value"], key);
    }
    QCOMPARE(store::sharedFolders().size(), std::size_t{2});
    QCOMPARE(store::sharedFolders().back(), folder.filePath("with a space").toStdString());
    QCOMPARE(records::storeSetting(), std::string("sqlite:/tmp/line.sqlite"));
    QCOMPARE(store::userCopies().limits().days, 30u);
    QCOMPARE(store::userCopies().limits().bytes, std::uint64_t{1 << 20});
    for (const auto& [key, value] : values) {
      QVERIFY2(tell({"settings", "reset", key}).code == 0, key);
      QVERIFY2(of(key)["value"] == of(key)["default"], key);
    }
  }

  void whatIsWrongChangesNothing() {
    const std::pair<std::vector<std::string>, const char*> wrong[] = {
        {{"settings", "set", "look.theme", "purple"}, "'purple' is none of system, light, dark, contrast"},
        {{"settings", "set", "copies.days", "0"}, "'0' is not a number from 1 on"},
        {{"settings", "set", "library.folders", "/not/there"}, "/not/there"},
        {{"settings", "set", "store", "mysql:x"}, "'mysql:x' is no store"},
        {{"settings", "set", "probes.ignored", "tcp:host:1"}, "'tcp:host:1' is no probe of this computer"},
        {{"settings", "set", "nothing", "x"}, "there is no setting 'nothing'"},
        {{"settings", "set"}, "set needs to know which setting"},
        {{"settings", "change", "store"}, "'change' is neither set nor reset"}};
    const auto before = tell({"settings", "--json"}).out;
    for (const auto& [words, why] : wrong) {
      const Answer answer = tell(words);
      QCOMPARE(answer.code, 2);
      QVERIFY2(answer.err.contains(why), qPrintable(answer.err));
    }
    QCOMPARE(tell({"settings", "--json"}).out, before);
  }

  /// A probe that is left alone is not chosen by itself, and who names it gets it.
  void ignoredProbesAreLeftAlone() {
    UsbTree tree;
    tree.addDap("1-2", "G-17", "Gauge CMSIS-DAP");
    tree.addDap("1-3", "G-18", "Gauge CMSIS-DAP");
    tree.lock("1-3");
    QCOMPARE(probe::listProbes(probe::ProbeOptions{}, tree.root()).probes.size(), std::size_t{2});
    probe::setIgnoredProbes({"usb:G-18"});
    const Answer list = tell({"probes"}, tree.root());
    QVERIFY2(list.out.contains("G-17") && !list.out.contains("G-18"), qPrintable(list.out));
    QVERIFY(list.err.contains("Left alone, as the settings say: usb:G-18"));
    try {
      probe::openProbe("usb:G-18", {}, tree.root());
      QFAIL("it is locked");
    } catch (const Error& e) {
      QVERIFY2(QString::fromStdString(e.full()).contains("usb:G-18 cannot be used"), e.full().c_str());
    }
    probe::setIgnoredProbes({"usb:@1-2"});
    QCOMPARE(probe::listProbes(probe::ProbeOptions{}, tree.root()).probes.front().serial, std::string("G-18"));
    probe::setIgnoredProbes({});
  }
};

IMPRIMO_TEST(SettingsTest);
#include "tst_settings.moc"
