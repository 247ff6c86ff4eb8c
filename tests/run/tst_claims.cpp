// SPDX-License-Identifier: GPL-3.0-or-later
//
// A run claims what it compared and nothing more, and the order of its steps keeps half an image from starting.
#include <fmt/format.h>

#include "core/run/job.h"
#include "core/run/runner.h"
#include "tests/support/check.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::store;
using namespace imprimo::test;

namespace {

WorldOptions quick(const std::string& sheet = {}, const std::string& memory = {}) {
  WorldOptions o;
  o.flash = quickFlash("1M");
  o.sheet = sheet;
  o.memory = memory;
  return o;
}

}  // namespace

class ClaimsTest : public QObject {
  Q_OBJECT
 private slots:
  /// What was not planned and was put back is confirmed also where the planned bytes are not.
  void withoutVerifyingWhatWasPutBackIsConfirmed() {
    World world(quick(R"(, "keep": [{"memory": "boot-flash", "from": "0x800", "to": "0xFFF"}])"));
    const Bytes old = bytesOf(1, 0x1000);
    world.fill(0, old);
    Wanted wanted = world.wanted(Task::Program, imageAt(0, bytesOf(2, 0x800)));
    wanted.noVerify = true;
    world.bench().at("boot-flash").identify();
    world.flash().corruptWritten(world.flash().bytesWritten() + 0xA00, 0x01);
    const Record record = world.carryOut(wanted);
    QVERIFY2(!record.good(), record.message.c_str());
    QVERIFY(record.error == ErrorKind::NotProgrammed || record.error == ErrorKind::NotErased);
    QVERIFY(record.first && record.first->address >= 0x800 && record.first->address < 0x1000);

    world.fill(0, old);
    const Record good = world.carryOut(wanted);
    QCOMPARE(good.outcome, Outcome::Programmed);
    VERIFY_CONTAINS(good.message, "not confirmed");
    QCOMPARE(world.cells(0x800, 0x800), Bytes(old.begin() + 0x800, old.end()));
  }

  void bookmarksThatExpectNothingAreOnlyLookedAt() {
    World world(quick());
    Wanted wanted = world.wanted(Task::Program, imageAt(0, bytesOf(2, 0x100)));
    wanted.lookAt = {{0, "start", {}}, {0x100, "end", {}}};
    const Record record = world.carryOut(wanted);
    COMPARE_TEXT(record.steps.back().note, "2 bookmarks read");
    wanted.lookAt.push_back({0x200, "blank", Bytes{0xFF}});
    COMPARE_TEXT(world.carryOut(wanted).steps.back().note, "1 bookmark as expected, 2 only read");
  }

  /// Wherever a run is stopped: the page that makes the part start is whole only where all of the image is.
  void aHalfWrittenImageNeverStartsWhateverTheOrder() {
    enum class Case { RewrittenElsewhere, WithoutErasing, Restored };
    for (const Case which : {Case::RewrittenElsewhere, Case::WithoutErasing, Case::Restored}) {
      int stopped = 0;
      for (std::size_t n = 1; n < 60; n += which == Case::RewrittenElsewhere ? 1 : 4) {
        World world(quick({}, R"(, "boot": "0x0")"));
        const Bytes old = bytesOf(1, 0x20000);
        Bytes target = bytesOf(2, which == Case::RewrittenElsewhere ? 0x3800 : 0x18000);
        Wanted wanted = world.wanted(Task::Program);
        wanted.boot = 0;
        if (which == Case::RewrittenElsewhere) {
          world.fill(0, old);
          std::copy(old.begin(), old.begin() + 0x1000, target.begin());  // the boot block agrees
        } else if (which == Case::WithoutErasing) {
          wanted.noErase = true;
        } else {
          world.fill(0, old);
          Wanted other = world.wanted(Task::Program, imageAt(0, target));
          const Record first = world.carryOut(other);
          const CopyStore store(world.path("copies").toStdString());
          const StoredCopy copy = store.find(first.backup);
          wanted = wantedToRestore(world.sheet(), "boot-flash", copy, store.contents(copy));
          target = Bytes(old.begin(), old.begin() + static_cast<std::ptrdiff_t>(target.size()));
        }
        if (which != Case::Restored) wanted.image.write(0, target);
        StopAt stop(n);
        const Record record = world.carryOut(wanted, stop.source.get_token(), &stop);
        const Bytes now = world.cells(0, target.size());
        const bool bootWhole = std::equal(target.begin(), target.begin() + 256, now.begin());
        if (record.changed && bootWhole && record.outcome == Outcome::Stopped)
          QVERIFY2(now == target,
                   fmt::format("case {}, stop {}: {}", static_cast<int>(which), n, record.message).c_str());
        if (record.outcome != Outcome::Stopped) break;
        ++stopped;
      }
      QVERIFY2(stopped > 3, fmt::format("case {}: {} stops", static_cast<int>(which), stopped).c_str());
    }
  }

  void aPageLargerThanAnExchangeIsWrittenInPieces() {
    WorldOptions o = quick({}, R"(, "part": "card.json")");
    o.flash += R"(, "page": 65536, "sfdp": "none")";
    o.files["card.json"] =
        R"({"imprimo_part":1,"name":"Quill","id":"0x7E4014","size":"1M","page":65536,"program":{"typical":0.0004,"longest":0.003},"erase":[{"size":65536,"opcode":"0xD8","typical":0.004,"longest":0.04}]})";
    World world(o);
    world.fill(0, bytesOf(1, 0x20000));
    const Bytes planned = bytesOf(2, 0x20000);
    const Record record = world.carryOut(world.wanted(Task::Program, imageAt(0, planned)));
    QVERIFY2(record.outcome == Outcome::Verified, record.message.c_str());
    QCOMPARE(world.cells(0, 0x20000), planned);
  }

  /// The card says 4 KiB for a command that erases 64 KiB.
  void aCardThatContradictsThePartsOwnTableIsRefused() {
    const auto card = [](const char* erase, const char* more) {
      return fmt::format(
          R"({{"imprimo_part":1,"name":"Quill","id":"0x7E4014","size":"1M","page":{},"program":{{"typical":0.0004,"longest":0.003}},"erase":[{{"size":4096,"opcode":"{}","typical":0.004,"longest":0.04}}]{}}})",
          std::string_view(more) == "page" ? 512 : 256, erase, std::string_view(more) == "page" ? "" : more);
    };
    const auto run = [&](const std::string& text) {
      WorldOptions o = quick({}, R"(, "part": "card.json")");
      o.files["card.json"] = text;
      World world(o);
      const Bytes all = bytesOf(1, 0x40000);
      world.fill(0, all);
      const Record record = world.carryOut(world.wanted(Task::Program, imageAt(0x13000, bytesOf(2, 0x1000))));
      if (!record.good() && world.cells(0, 0x40000) != all) return std::string("refused and changed");
      return record.message;
    };
    VERIFY_CONTAINS(run(card("0xD8", "")), "0xD8");
    VERIFY_CONTAINS(run(card("0xD8", "")), "64 KiB");
    VERIFY_CONTAINS(run(card("0x21", "")), "0x20");
    VERIFY_CONTAINS(run(card("0x20", "page")), "page");
    VERIFY_CONTAINS(run(card("0x20", "")), "confirmed by reading back");
    VERIFY_CONTAINS(run(card("0x20", R"(, "table_is_wrong": true)")), "confirmed by reading back");
  }
};
IMPRIMO_TEST(ClaimsTest);
#include "tst_claims.moc"
