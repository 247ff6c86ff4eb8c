// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/error.h"
#include "core/base/visible_text.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class VisibleTextTest : public QObject {
  Q_OBJECT
 private slots:
  void whatATerminalObeysIsShown() {
    COMPARE_TEXT(visibleText("a\x1b[31mb"), "a\\e[31mb");
    COMPARE_TEXT(visibleText("a\nb\tc\rd"), "a\\nb\\tc\\rd");
    COMPARE_TEXT(visibleText(std::string("\x07\x7f\0", 3)), "\\x07\\x7F\\x00");
    COMPARE_TEXT(visibleText("\xc2\x9b"
                             "1m"),
                 "\\x9B1m");
    COMPARE_TEXT(visibleLines("a\nb\tc\rd\x1b"), "a\nb\tc\\rd\\e");
  }

  void wordsOfAllLanguagesStay() {
    const std::string words = "Prüfstand · тест · 試験 · 🔧";
    COMPARE_TEXT(visibleText(words), words);
  }

  void whatIsNoUtf8IsShownByteByByte() {
    COMPARE_TEXT(visibleText("\x9b"), "\\x9B");
    COMPARE_TEXT(visibleText("\xc3"), "\\xC3");
    COMPARE_TEXT(visibleText("\xc0\xaf"), "\\xC0\\xAF");                    // overlong
    COMPARE_TEXT(visibleText("\xed\xa0\x80"), "\\xED\\xA0\\x80");           // half of a pair
    COMPARE_TEXT(visibleText("\xf4\x90\x80\x80"), "\\xF4\\x90\\x80\\x80");  // past the last code point
    std::mt19937 random(3);
    for (int i = 0; i < 2000; ++i) {
      std::string bytes;
      for (std::size_t n = random() % 12; n > 0; --n) bytes += static_cast<char>(random());
      const std::string shown = visibleText(bytes);
      COMPARE_TEXT(visibleText(shown), shown);  // nothing is left that would have to be shown
    }
  }

  void whatAnErrorQuotesIsShown() {
    const Error e(ErrorKind::BadFile, "cannot read \x1b[2Jx", "Look at \x07.");
    COMPARE_TEXT(e.full(), "cannot read \\e[2Jx. Look at \\x07.");
  }
};
IMPRIMO_TEST(VisibleTextTest);
#include "tst_visible_text.moc"
