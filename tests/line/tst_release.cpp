// SPDX-License-Identifier: GPL-3.0-or-later
//
// Releases: nothing of one can be changed without being noticed, and only trusted keys count.
#include <QTest>
#include <random>

#include "core/release/passphrase.h"
#include "line/station_lock.h"
#include "tests/line/line_bench.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::release;
using namespace imprimo::test;

namespace {

double gNow = 1000;

std::string manifestWith(const std::string& part) {
  return "{\"number\": 1, \"title\": \"t\", \"made\": \"m\", \"software\": \"s\", \"sheet\": \"" + part +
         "\", \"line\": {\"start\": \"by-key\"}, \"parts\": [{\"name\": \"" + part +
         "\", \"bytes\": 1, \"sha256\": \"x\"}]}";
}

}  // namespace

class ReleaseTest : public QObject {
  Q_OBJECT
 private slots:
  void whatWasFrozenComesBack() {
    LineRules line;
    line.startsByItself = false;
    line.signOn = true;
    line.units = 500;
    line.afterFailed = "Put this board into the red tray.";
    const ReleasedGauge gauge(line);
    const Release release = readRelease(gauge.file(), trustedKeys());
    QCOMPARE(release.manifest.number, 14U);
    QVERIFY(release.manifest.line == line);
    QCOMPARE(release.signer.name, std::string("bench 2"));
    const sheet::Sheet sheet = sheetOf(release, releasesFolder(), secretsFolder());
    QVERIFY(sheet.path.string().starts_with(releasesFolder().string()));
    QCOMPARE(sheet.placements.size(), 2U);
    QVERIFY(readFile(sheet.folder() / "fallback.bin") == readFile(gauge.path("fallback.bin")));
    requireUnchanged(release, releasesFolder());
    // A file that somebody changed there is noticed, and put right when the release is opened again.
    writeFileAtomically(sheet.folder() / "fallback.bin", std::string_view("other"));
    QVERIFY(errorOf([&] {
              requireUnchanged(release, releasesFolder());
            }).ends_with("fallback.bin is not what was released"));
    unpack(release, releasesFolder());
    requireUnchanged(release, releasesFolder());
    QVERIFY(differencesOf(release, release).empty());
  }

  void anyByteThatIsChangedIsRefused() {
    const ReleasedGauge gauge;
    const Bytes whole = readFile(gauge.file());
    const std::vector<PublicKey> trusted = trustedKeys().all();
    parseRelease(whole, "r", trusted, Trust::Trusted);
    std::mt19937 random(7);
    std::vector<std::size_t> places;
    for (std::size_t i = 0; i < 600; ++i) places.push_back(i);  // the head, all of it
    while (places.size() < 2000) places.push_back(random() % whole.size());
    for (const std::size_t at : places) {
      Bytes other = whole;
      other[at] ^= static_cast<std::uint8_t>(1U << (random() % 8));
      const std::string why = errorOf([&] { parseRelease(other, "r", trusted, Trust::Trusted); });
      QVERIFY2(why != "no error", qPrintable(QString::number(at)));
      // Whoever trusts anyone is not told wrong either.
      QVERIFY(errorOf([&] { parseRelease(other, "r", {}, Trust::Anyone); }) != "no error");
    }
    for (std::size_t size = 0; size < whole.size(); size += 1 + size / 3)
      QVERIFY(errorOf([&] { parseRelease(ByteSpan(whole.data(), size), "r", trusted, Trust::Trusted); }) != "no error");
    Bytes longer = whole;
    longer.push_back(0);
    COMPARE_TEXT(errorOf([&] { parseRelease(longer, "r", trusted, Trust::Trusted); }),
                 "r: 1 byte follow its last part");
  }

  void whatDiffersIsSaid() {
    const ReleasedGauge gauge;
    Bytes bytes = readFile(gauge.file());
    const std::vector<PublicKey> trusted = trustedKeys().all();
    bytes.back() ^= 1;
    QVERIFY(errorOf([&] { parseRelease(bytes, "r", trusted, Trust::Trusted); }).ends_with("is not what was signed"));
    bytes.back() ^= 1;
    COMPARE_TEXT(errorOf([&] { parseRelease(bytes, "r", {}, Trust::Trusted); }),
                 "r is signed with a key that this station does not trust: " + trusted[0].digits().substr(0, 16));
    bytes[16] = '2';
    COMPARE_TEXT(errorOf([&] { parseRelease(bytes, "r", trusted, Trust::Trusted); }),
                 "r is a release of a newer Imprimo, or was changed");
    COMPARE_TEXT(errorOf([&] { readRelease(gauge.path("bench.json"), trustedKeys()); }),
                 gauge.path("bench.json") + " is no release");
  }

  void twoAreComparedInWords() {
    const ReleasedGauge gauge;
    const Release one = readRelease(gauge.file(), trustedKeys());
    writeFileAtomically(gauge.path("fallback.bin"), std::string_view("another release of it"));
    QString text = QString::fromStdString(readTextFile(gauge.path("gauge-rev-b.imprimo")));
    text.replace("board revision B", "board revision C");
    writeFileAtomically(gauge.path("gauge-rev-b.imprimo"), text.toStdString());
    LineRules line;
    line.units = 20;
    const Release other = freeze(sheet::readSheet(gauge.path("gauge-rev-b.imprimo")), 15, line);
    std::string all;
    for (const std::string& each : differencesOf(one, other)) all += each + "\n";
    for (const char* part : {"number: 14, then 15\n", "limit: no limit, then 20 units\n",
                             "fallback.bin: other bytes (186 KiB, then 21 bytes)\n",
                             "title: \"River gauge, board revision B\", then \"River gauge, board revision C\"\n"})
      QVERIFY2(all.find(part) != std::string::npos, all.c_str());
    QVERIFY2(
        all.find("sheet: title: \"River gauge, board revision B\" before, \"River gauge, board revision C\" now") !=
            std::string::npos,
        all.c_str());
  }

  void theKeyIsSafe() {
    const ReleasedGauge gauge;
    const std::string text = readTextFile(gauge.path("key.json"));
    QVERIFY(text.find(ReleasedGauge::kPassphrase) == std::string::npos);
    const PublicKey known = SigningKey::publicOf(gauge.path("key.json"));
    QVERIFY(SigningKey::open(gauge.path("key.json"), SecretText(std::string(ReleasedGauge::kPassphrase))).publicKey() ==
            known);
    const auto openWrong = [&] { SigningKey::open(gauge.path("key.json"), SecretText(std::string("not this one"))); };
    COMPARE_TEXT(errorOf(openWrong), "the passphrase is wrong");
    // At once after it nothing is tried, not even the right one.
    QVERIFY(errorOf([&] {
              SigningKey::open(gauge.path("key.json"), SecretText(std::string(ReleasedGauge::kPassphrase)));
            }).starts_with("after a wrong passphrase the next may be tried in"));
    QVERIFY(errorOf([&] {
              SigningKey::make(gauge.path("short.json"), "x", SecretText(std::string("short")));
            }).starts_with("a passphrase has at least 8"));
    // A file with the key itself is no public one.
    QVERIFY(errorOf([&] { readPublicKey(gauge.path("key.json")); }) != "no error");
    PublicKey other = known;
    other.bytes[0] ^= 1;
    COMPARE_TEXT(errorOf([&] { trustedKeys().add(other); }), "another key is trusted as bench 2 already");
    trustedKeys().remove("bench 2");
    QVERIFY(kindOf([&] { readRelease(gauge.file(), trustedKeys()); }) == ErrorKind::Refused);
  }

  void wrongPassphrasesSlowDown() {
    QTemporaryDir folder;
    gNow = 1000;
    Tries tries(folder.filePath("tries.json").toStdString(), [] { return gNow; });
    QCOMPARE(tries.wait(), 0.0);
    double before = 0;
    for (int i = 0; i < 12; ++i) {
      tries.wrong();
      const double wait = tries.wait();
      QVERIFY(wait >= std::min(300.0, 2 * before));
      QVERIFY(errorOf([&] { tries.requireTime(); }) != "no error");
      before = wait;
      gNow += wait;
      tries.requireTime();
    }
    QCOMPARE(before, 300.0);
    // A clock that is set back, or a file that is spoilt, is no way around it, and nobody is shut out for long.
    gNow -= 100'000;
    QVERIFY(tries.wait() > 0 && tries.wait() <= 300);
    writeFileAtomically(folder.filePath("tries.json").toStdString(), std::string_view("{}"));
    QVERIFY(tries.wait() > 0);
    tries.right();
    QCOMPARE(tries.wait(), 0.0);
  }

  void aStationStaysLocked() {
    QTemporaryDir folder;
    line::StationLock lock(folder.path().toStdString());
    QVERIFY(!lock.state().has_value());
    lock.lock({"r.imprimo-release", {"tcp:1", "tcp:2"}, ""}, SecretText(std::string("a long passphrase")));
    const auto state = line::StationLock(folder.path().toStdString()).state();
    QVERIFY(state && state->locked());
    QVERIFY(state->hash.starts_with("$argon2id$"));
    QCOMPARE(state->probes.size(), 2U);
    QVERIFY(kindOf([&] { lock.unlock(SecretText(std::string("a wrong passphrase"))); }) == ErrorKind::Refused);
    QVERIFY(lock.state()->locked());
    std::filesystem::remove(folder.filePath("station-tries.json").toStdString());
    lock.unlock(SecretText(std::string("a long passphrase")));
    QVERIFY(!lock.state().has_value());
    writeFileAtomically(folder.filePath("station.json").toStdString(), std::string_view("{"));
    QVERIFY(lock.state()->locked());  // who spoils the file has not opened the lock
    QVERIFY(kindOf([&] { lock.unlock(SecretText(std::string("a long passphrase"))); }) == ErrorKind::Refused);
  }

  void namesThatLeadOutAreRefused() {
    for (const char* name : {"../out.bin", "/etc/passwd", "a/../../b", "", "a\\\\b", "./a"}) {
      const std::string text = manifestWith(name);
      QVERIFY2(kindOf([&] { parseManifest(text, "m"); }) == ErrorKind::BadFile, name);
    }
  }
};

IMPRIMO_TEST(ReleaseTest);
#include "tst_release.moc"
