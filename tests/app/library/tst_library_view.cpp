// SPDX-License-Identifier: GPL-3.0-or-later
#include <QDropEvent>
#include <QListView>
#include <QMimeData>

#include "app/library/library_view.h"
#include "core/base/atomic_file.h"
#include "core/store/folders.h"
#include "tests/app/stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/usb_tree.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

void drop(QWidget& window, const QStringList& files) {
  QMimeData what;
  QList<QUrl> urls;
  for (const QString& file : files) urls += QUrl::fromLocalFile(file);
  what.setUrls(urls);
  QDragEnterEvent enter({400, 300}, Qt::CopyAction, &what, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(&window, &enter);
  QVERIFY(enter.isAccepted());
  QDropEvent event(QPointF(400, 300), Qt::CopyAction, &what, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(&window, &event);
}

}  // namespace

class LibraryViewTest : public QObject {
  Q_OBJECT
 private slots:
  void init() { std::filesystem::remove_all(store::dataFolder()); }
  void cleanup() { std::filesystem::remove_all(store::dataFolder()); }

  void manyFilesAtOnceHoldUpNothing() {
    QTemporaryDir folder;
    const std::string text = readTextFile(IMPRIMO_DEMO "/parts/wren_c64.bsd");
    QStringList files;
    for (int i = 0; i < 2000; ++i) {
      const QString name = QString("made_%1").arg(i, 4, 10, QChar('0'));
      QString changed = QString::fromStdString(text);
      changed.replace("WREN_C64", name.toUpper());
      files += folder.filePath(name + ".bsd");
      writeFileAtomically(files.back().toStdString(), changed.toStdString());
    }
    MainWindow window(viewTable());
    window.resize(1280, 800);
    window.show();
    int turns = 0;
    QTimer beat;
    QObject::connect(&beat, &QTimer::timeout, &beat, [&] { ++turns; });
    beat.start(0);
    drop(window, files);
    QVERIFY(window.bench().library().isBusy());  // nothing waited for it
    QTRY_VERIFY_WITH_TIMEOUT(!window.bench().library().isBusy(), kPatience);
    QVERIFY(turns > 20);
    window.findChild<QAction*>("libraryTab")->trigger();
    QTRY_VERIFY_WITH_TIMEOUT(!window.bench().library().isBusy(), kPatience);
    auto& rows = window.view<LibraryView>().rows();
    QCOMPARE(rows.count(), 2000U);
    QTest::keyClicks(window.findChild<QLineEdit*>("librarySearch"), "made_17 bsdl");
    QCOMPARE(rows.count(), 100U);
    QCOMPARE(window.findChild<QLabel*>("libraryWords")->text(), QString("100 of 2000 descriptions"));
  }

  void entriesAreRemovedByKeysAndFoldersMayGo() {
    QTemporaryDir shared;
    QFile::copy(IMPRIMO_DEMO "/parts/wren_c64.bsd", shared.filePath("wren_c64.bsd"));
    Stage s({}, false);
    drop(s.window, {shared.path()});
    drop(s.window, {s.folder.filePath("parts/tarn_t40.bsd"), s.folder.filePath("cores/tarn_t40_bridge.json")});
    auto& library = s.window.bench().library();
    QTRY_VERIFY_WITH_TIMEOUT(!library.isBusy(), kPatience);
    s.window.findChild<QAction*>("libraryTab")->trigger();
    QTRY_VERIFY_WITH_TIMEOUT(!library.isBusy(), kPatience);
    auto& rows = s.window.view<LibraryView>().rows();
    QCOMPARE(rows.count(), 3U);
    auto* search = s.find<QLineEdit>("librarySearch");
    search->setText("bridge");
    QTest::keyClick(search, Qt::Key_Down);
    auto* list = s.find<QListView>("libraryList");
    QCOMPARE(rows.row(list->currentIndex().row()).title, QString("SPI bridge for Tarn T40"));
    QTest::keyClick(list, Qt::Key_Delete);
    QTRY_VERIFY_WITH_TIMEOUT(!library.isBusy() && library.catalog().all().size() == 2, kPatience);
    search->clear();
    // A shared one is not ours to remove.
    for (int i = 0; i < rows.rowCount(); ++i) {
      if (rows.row(i).title == "WREN_C64") list->setCurrentIndex(rows.index(i));
    }
    QVERIFY(!s.find<QToolButton>("libraryRemove")->isEnabled());
    shared.remove();
    library.refresh();
    QTRY_VERIFY_WITH_TIMEOUT(!library.isBusy(), kPatience);
    QCOMPARE(rows.row(1).words, QString("is not there now"));
    list->setCurrentIndex(rows.index(1));
    s.click("libraryRemove");
    QTRY_VERIFY_WITH_TIMEOUT(!library.isBusy() && rows.row(0).title == "BSDL file", kPatience);
  }

  void aProbeThatIsPluggedInAppearsByItself() {
    UsbTree tree;
    MainWindow window(viewTable());
    window.bench().session().setSystemRoot(tree.root());
    window.resize(1280, 800);
    window.show();
    QTRY_VERIFY_WITH_TIMEOUT(window.findChild<QLabel*>("noProbe") != nullptr, kPatience);
    QVERIFY(window.findChild<QPushButton*>("exploreProbe") == nullptr);
    tree.addDap("1-1", "GAUGE-7", "River gauge probe");
    QTRY_VERIFY_WITH_TIMEOUT(window.findChild<QPushButton*>("exploreProbe") != nullptr, kPatience);
  }
};

IMPRIMO_TEST(LibraryViewTest);
#include "tst_library_view.moc"
