// SPDX-License-Identifier: GPL-3.0-or-later
//
// What an image is made of and for: bitfiles with their cards, other memories, no sheet at all.
#include "tests/app/images/desk.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

class ImageSourcesTest : public QObject {
  Q_OBJECT
 private slots:
  void aWrapperCardIsWrittenLive() {
    Desk d;
    WrapperEditor editor(d.path("next/echo_correlator.tarn"), {}, &d.window);
    editor.show();
    auto* text = editor.findChild<QPlainTextEdit*>("wrapperText");
    auto* save = editor.findChild<QPushButton*>("wrapperSave");
    auto* problem = editor.findChild<QLabel*>("wrapperProblem");
    QVERIFY(save->isEnabled());  // the card to begin with fits every file
    text->setFocus();
    text->moveCursor(QTextCursor::End);
    QTest::keyClicks(text, "x");
    QVERIFY(!save->isEnabled());
    QVERIFY(problem->text().contains("the card", Qt::CaseInsensitive));
    QTest::keyClick(text, Qt::Key_Backspace);
    QVERIFY(save->isEnabled());
    text->setPlainText(
        R"({"imprimo_wrapper": 1, "name": "mine", "header": [{"bytes": "B7 54"}, {"name": "rest", "size": 9000000}]})");
    QVERIFY(problem->text().startsWith("Offset 0x2: rest (header[1]) should have 9000000 bytes"));
    QVERIFY(!save->isEnabled());
    text->setPlainText(QString::fromStdString(readTextFile(d.path("parts/tarn_wrapper.json").toStdString())));
    QCOMPARE(problem->text(), QString("The file fits the card."));
    QVERIFY(editor.findChild<QLabel*>("wrapperFields")->text().contains("echo_correlator, two paths"));
    QCOMPARE(editor.result().payload.size(), 0x120A40u);
    QVERIFY(!editor.findChild<QPlainTextEdit*>("wrapperBytes")->extraSelections().isEmpty());
  }

  void aBitfileIsPlacedByItsCard() {
    Desk d;
    d.drop({"next/echo_correlator.tarn"});
    Placement p = d.image().state().placements[3];
    p.wrapper = "parts/tarn_wrapper.json";
    p.at = 0x200000;
    d.image().setPlacement(3, p, "card");
    QCOMPARE(d.image().files()[3].piece->image.byteCount(), 0x120A40u);
    d.image().select(3);
    QCoreApplication::processEvents();
    bool design = false;
    for (QLabel* label : d.window.view<ImagesView>().findChild<ImageFiles*>("imageFiles")->findChildren<QLabel*>())
      design = design || label->toolTip() == "echo_correlator, two paths";
    QVERIFY(design);
    // Without a card: what was found is shown, and the header taken off when asked.
    p.wrapper.clear();
    d.image().setPlacement(3, p, "no card");
    QCoreApplication::processEvents();
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    auto* take = d.find<QToolButton>("takeOffHeader");
    QVERIFY(take != nullptr);
    QTest::mouseClick(take, Qt::LeftButton);
    QCOMPARE(d.image().files()[3].piece->image.bytes({0x200000, 0x200002}), (Bytes{0x9A, 0x51}));
  }

  void anotherMemoryIsAStepThatCanBeUndone() {
    Desk d;
    d.image().moveTo(1, 0x500000);
    auto* target = d.find<QComboBox>("imageFor");
    target->setCurrentIndex(1);
    emit target->activated(1);  // no part of a sheet
    QCOMPARE(d.image().files().size(), 0u);
    QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
    QCOMPARE(d.image().files().size(), 3u);
    QCOMPARE(d.beginOf(1), 0x500000u);
  }

  void itWorksWithoutASheet() {
    Desk d(false);
    QCOMPARE(d.find<QLabel>("imageTitle")->text(), QString("Image"));
    d.drop({"fallback.bin", "gauge_cal.hex"});
    QCOMPARE(d.image().files().size(), 2u);
    QVERIFY(!d.find<QPushButton>("toBench")->isEnabled());
    d.type("imageSize", "64K");
    QVERIFY(d.verdict().contains("error"));
    d.type("imageSize", "16M");
    QCOMPARE(d.verdict(), QString("all well"));
    d.type("imageSize", "many");
    QVERIFY(d.find<QLineEdit>("imageSize")->property("wrong").toBool());
    auto* use = d.find<QComboBox>("imageUse");
    emit use->activated(1);
    QVERIFY(d.findings("reset").size() == 1);  // a bitstream has no vector table
    QVERIFY(d.image().save(d.path("out.bin")));
  }
};
IMPRIMO_TEST(ImageSourcesTest);
#include "tst_image_sources.moc"
