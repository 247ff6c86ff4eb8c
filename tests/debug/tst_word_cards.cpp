// SPDX-License-Identifier: GPL-3.0-or-later
//
// Configuration words in core cards that cannot be.
#include "core/debug/core_card.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class WordCardsTest : public QObject {
  Q_OBJECT
 private slots:
  void cardsThatCannotBeAreTold_data() {
    QTest::addColumn<QString>("word");
    QTest::addColumn<QString>("says");
    const auto row = [](const char* name, const char* word, const char* says) {
      QTest::newRow(name) << QString(word) << QString(says);
    };
    const char* const steps = "\"written\": {\"steps\": [{\"write\": {\"at\": 16, \"word\": true}}]}";
    const auto with = [&](const char* keys) { return std::string(keys) + ", " + steps; };
    row("no name", with("\"name\": \"\", \"at\": 16").c_str(), "name: is empty");
    row("width", with("\"name\": \"a\", \"at\": 16, \"width\": 24").c_str(), "should be 8, 16 or 32");
    row("place", with("\"name\": \"a\", \"at\": 17").c_str(), "should be a multiple of 4");
    row("itself", with("\"name\": \"a\", \"at\": 16, \"complement\": 16").c_str(), "is the word itself");
    row("factory", with("\"name\": \"a\", \"at\": 16, \"width\": 8, \"factory\": 256").c_str(), "does not fit");
    row("bits", with("\"name\": \"a\", \"at\": 16, \"fields\": [{\"bits\": \"32\", \"name\": \"f\"}]").c_str(),
        "below 32");
    row("over",
        with("\"name\": \"a\", \"at\": 16, \"fields\": [{\"bits\": \"3..0\", \"name\": \"f\"}, "
             "{\"bits\": \"3\", \"name\": \"g\"}]")
            .c_str(),
        "has bits of another field");
    row("harm",
        with("\"name\": \"a\", \"at\": 16, \"fields\": [{\"bits\": \"0\", \"name\": \"f\", \"values\": "
             "[{\"value\": 1, \"means\": \"m\", \"harm\": \"some\"}]}]")
            .c_str(),
        "shuts-out");
    row("nothing written", "\"name\": \"a\", \"at\": 16, \"written\": {\"steps\": [{\"reset\": true}]}",
        "none of them writes the word");
    row("both ways", "\"name\": \"a\", \"at\": 16, \"written\": {}", "one of \"region\" and \"steps\"");
    row("no region", "\"name\": \"a\", \"at\": 16, \"written\": {\"region\": \"x\"}", "no region of the card");
    row("partner",
        "\"name\": \"a\", \"at\": 16, \"written\": {\"steps\": [{\"write\": {\"at\": 16, \"partner\": true}}]}",
        "is of a word with a \"complement\"");
    row("counts", with("\"name\": \"a\", \"at\": 16, \"valid_after\": \"tea\"").c_str(), "\"power-cycle\"");
  }
  void cardsThatCannotBeAreTold() {
    QFETCH(const QString, word);
    QFETCH(const QString, says);
    const std::string text =
        "{\"core_card\": 1, \"name\": \"K\", \"regions\": [], \"words\": [{" + word.toStdString() + "}]}";
    VERIFY_CONTAINS(errorOf([&] { debug::parseCoreCard(text, "card.json"); }), says.toStdString());
  }
};

IMPRIMO_TEST(WordCardsTest);
#include "tst_word_cards.moc"
