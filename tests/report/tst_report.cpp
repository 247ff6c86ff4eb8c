// SPDX-License-Identifier: GPL-3.0-or-later
//
// What is sent with a problem: what helps is in it, and what is nobody's business is not.
#include <QTemporaryDir>
#include <QTest>
#include <fstream>

#include "records/record_store.h"
#include "records/store_address.h"
#include "report/problem_report.h"
#include "report/scrubbed.h"
#include "report/session_log.h"
#include "tests/support/test_registry.h"
#include "tests/support/usb_tree.h"

using namespace imprimo;
using namespace imprimo::report;
using namespace imprimo::test;

class ReportTest : public QObject {
  Q_OBJECT
 private slots:
  void whatIsPersonalIsLeftOut() {
    const auto clean = [](const char* text) { return scrubbed(text, "/home/river", "river", "gaugehost"); };
    QCOMPARE(clean("/home/river/boards/a.imprimo"), std::string("~/boards/a.imprimo"));
    QCOMPARE(clean("by river at gaugehost, the river gauge"), std::string("by (user) at (computer), the (user) gauge"));
    QCOMPARE(clean("riverside and my-river stay"), std::string("riverside and my-river stay"));
    QCOMPARE(clean("token 8f3a61c09b7d4e5512aa34bb56cc78dd ends"), std::string("token (left out) ends"));
    QCOMPARE(clean("key QWxhZGRpbjpvcGVuIHNlc2FtZQ1234== ends"), std::string("key (left out) ends"));
    QCOMPARE(clean("sha256 8f3a61c09b7d4e5512aa34bb56cc78dd"), std::string("sha256 8f3a61c09b7d4e5512aa34bb56cc78dd"));
    QCOMPARE(clean("0x7e4017, 20261130-190602-827571-boot-flash.json"),
             std::string("0x7e4017, 20261130-190602-827571-boot-flash.json"));
    QCOMPARE(clean("averyveryverylongnameofafunction"), std::string("averyveryverylongnameofafunction"));
    // A home of "/" is no home, and a name of two letters is a word of any text.
    QCOMPARE(scrubbed("/dev/bus", "/", "it", ""), std::string("/dev/bus"));
  }

  void theWindowsLinesAreKept() {
    QTemporaryDir folder;
    const std::filesystem::path file = folder.filePath("state/window.log").toStdString();
    SessionLog log(file);
    QVERIFY(log.newest(5).empty());
    log.add("first\nwith a second line");
    log.add("second");
    QCOMPARE(log.newest(5).size(), std::size_t{2});
    QVERIFY(log.newest(5).front().ends_with("Z first with a second line"));
    QVERIFY(log.newest(1).front().ends_with(" second"));
    for (int i = 0; i < 6000; ++i) log.add("line " + std::to_string(i) + std::string(60, '.'));
    QVERIFY(std::filesystem::file_size(file) <= 256 << 10);
    QVERIFY(log.newest(1).front().find("line 5999.") != std::string::npos);
    // Where it cannot be written nothing happens.
    SessionLog("/proc/nowhere/window.log").add("lost");
  }

  void aReportHasWhatHelps() {
    QTemporaryDir folder;
    qputenv("XDG_STATE_HOME", folder.filePath("state").toUtf8());
    qputenv("LANG", "C.UTF-8");
    SessionLog().add("The link was lost: 7f01a2b3c4d5e6f708192a3b4c5d6e7f.");
    UsbTree tree;
    tree.addDap("1-2", "G-17", "Gauge CMSIS-DAP");
    tree.lock("1-2");
    std::filesystem::create_directories(tree.root().root / "etc");
    std::ofstream(tree.root().root / "etc/os-release") << "PRETTY_NAME=\"Some system 12\"\n";
    const std::string store = "sqlite:" + folder.filePath("records.sqlite").toStdString();
    {
      records::Database database(records::parseStoreAddress(store));
      records::KeptRecord record;
      record.id = "6a6a6a6a-0000-4000-8000-000000000001";
      record.started = "2031-04-05T06:07:08Z";
      record.station = "some-station";
      record.person = "someone";
      record.result = "failed";
      record.step = "Erase 3 blocks";
      record.target = "boot-flash";
      record.message = "boot-flash does not erase at 0x1000";
      record.values = {"serial-4711"};
      record.text = R"({"serial": "serial-4711", "bytes": "00FFAA"})";
      records::RecordStore(database).keep(record);
    }
    const QString text = QString::fromStdString(problemReport({"imprimoctl", {{"Qt", "6"}}, store, tree.root()}));
    for (const char* there :
         {"imprimoctl 0.", "commit ", "Qt 6", "libusb ", "Some system 12", "rule for probes    not installed",
          "LANG               C.UTF-8", "Gauge CMSIS-DAP at port 1-2", "1 in all",
          "boot-flash does not erase at 0x1000 (at: Erase 3 blocks)", "The link was lost: (left out)."})
      QVERIFY2(text.contains(there), qPrintable(QString("%1\nis not in\n%2").arg(there, text)));
    for (const char* not_ : {"serial-4711", "00FFAA", "someone", "some-station", "7f01a2b3"})
      QVERIFY2(!text.contains(not_), not_);
  }

  void whatCannotBeFoundOutIsSaid() {
    QTemporaryDir folder;
    std::ofstream(folder.filePath("broken.sqlite").toStdString()) << "this is no database, but a long enough text";
    const QString text =
        QString::fromStdString(problemReport({"imprimoctl",
                                              {},
                                              "sqlite:" + folder.filePath("broken.sqlite").toStdString(),
                                              probe::SystemRoot{folder.path().toStdString()}}));
    QVERIFY2(text.contains("Last runs\n") && text.contains("cannot be told: "), qPrintable(text));
    QVERIFY(text.contains("What the window said last"));
  }
};

IMPRIMO_TEST(ReportTest);
#include "tst_report.moc"
