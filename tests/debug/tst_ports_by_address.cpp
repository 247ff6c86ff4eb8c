// SPDX-License-Identifier: GPL-3.0-or-later
//
// A debug port of ADIv6 (IHI 0074): access ports are at addresses, and the port's own ROM table names them.
#include <map>

#include "core/debug/mem_ap.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;
using probe::PortAnswer;
using probe::RegisterAnswers;

namespace {

/// Registers as the standard has them: SELECT holds an address, and DRW of a port leads to a RAM of its own.
class PortTwin : public debug::PortWires {
 public:
  const char* name() const override { return "twin"; }
  RegisterAnswers wake() override { return {{0x0C603FFB}, 1, PortAnswer::Ok}; }
  std::chrono::nanoseconds now() const override { return {}; }
  void pass(std::chrono::microseconds) override {}

  RegisterAnswers access(const probe::RegisterBatch& batch) override {
    RegisterAnswers answers;
    for (const probe::RegisterRun& run : batch.runs()) {
      for (std::size_t i = 0; i < run.count; ++i, ++answers.done) {
        if (run.read) {
          answers.words.push_back(run.ap ? readAp((select_ & ~0xFu) | run.address) : readPort(run.address));
        } else if (run.ap) {
          writeAp((select_ & ~0xFu) | run.address, run.words[i]);
        } else if (run.address == 0x8) {
          select_ = run.words[i];
        } else if (run.address == 0x4 && (select_ & 15) == 0) {
          control_ = run.words[i];
        }
      }
    }
    return answers;
  }

  std::map<std::uint32_t, std::uint32_t> table;                         ///< words at their addresses
  std::map<std::uint32_t, std::map<std::uint32_t, std::uint32_t>> ram;  ///< of each access port

 private:
  std::uint32_t readPort(std::uint8_t address) const {
    if (address == 0x4) return (select_ & 15) == 0 ? control_ | control_ << 1 : (select_ & 15) == 2 ? 0x01C60FFB : 0;
    return (select_ & 15) == 2 ? 0x00001001 : 0x0C603FFB;  // BASEPTR0: a table at 0x1000
  }
  std::uint32_t readAp(std::uint32_t at) {
    const std::uint32_t port = at & ~0xFFFu;
    if (!ram.contains(port)) return table[at];
    switch (at & 0xFFF) {
      case 0xDFC:
        return 0x34770008;  // a MEM-AP
      case 0xDF8:
        return 0xE00FF003;
      case 0xD0C: {
        const std::uint32_t value = ram[port][tar_[port]];
        tar_[port] += 4;
        return value;
      }
      default:
        return 0;
    }
  }
  void writeAp(std::uint32_t at, std::uint32_t value) {
    const std::uint32_t port = at & ~0xFFFu;
    if ((at & 0xFFF) == 0xD04) tar_[port] = value;
    if ((at & 0xFFF) != 0xD0C) return;
    ram[port][tar_[port]] = value;
    tar_[port] += 4;
  }

  std::uint32_t select_ = 0, control_ = 0;
  std::map<std::uint32_t, std::uint32_t> tar_;
};

}  // namespace

class PortsByAddressTest : public QObject {
  Q_OBJECT
 private slots:
  void theTableNamesThem() {
    PortTwin twin;
    twin.table = {{0x1000, 0x00001003}, {0x1004, 0x00002002}, {0x1008, 0x00003003}, {0x100C, 0}};
    twin.ram[0x2000] = {};
    twin.ram[0x4000] = {};
    debug::DebugPort port(twin);
    port.connect();
    QCOMPARE(port.version(), 3u);
    // The one in the middle is not there, as its entry says.
    QCOMPARE(port.accessPorts(), (std::vector<debug::AccessPort>{{0x2000}, {0x4000}}));
    QCOMPARE(port.targetId().value(), 0x01C60FFBu);
    QCOMPARE(debug::AccessPort{0x2000}.words(), std::string("access port at 0x002000"));
    QCOMPARE(debug::AccessPort{2}.words(), std::string("access port 2"));
  }

  void eachHasABusOfItsOwn() {
    PortTwin twin;
    twin.ram[0x2000] = {};
    twin.ram[0x4000] = {};
    debug::DebugPort port(twin);
    port.connect();
    debug::MemAp one(port, {0x2000}), two(port, {0x4000});
    one.identify();
    two.identify();
    QCOMPARE(one.base().value(), 0xE00FF000u);
    const Bytes first{1, 2, 3, 4, 5, 6, 7, 8}, second{9, 9, 9, 9};
    one.write(0x20000000, first);
    two.write(0x20000000, second);
    Bytes back(8);
    one.read(0x20000000, back);
    QCOMPARE(back, first);
    QCOMPARE(two.readWord(0x20000000), 0x09090909u);
  }

  void oneThatIsNotThereIsNamed() {
    PortTwin twin;
    debug::DebugPort port(twin);
    port.connect();
    debug::MemAp bus(port, {0x5000});
    const std::string text = errorOf([&] { bus.identify(); });
    QVERIFY2(text.find("no access port at 0x005000") != std::string::npos, text.c_str());
    QVERIFY(port.accessPorts().empty());
  }
};
IMPRIMO_TEST(PortsByAddressTest);
#include "tst_ports_by_address.moc"
