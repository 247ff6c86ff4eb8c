// SPDX-License-Identifier: GPL-3.0-or-later
//
// Scans that begin and end anywhere, as both kinds of probes get them: clock for clock what the batch says.
#include <QTest>

#include "core/probe/dap/dap_packer.h"
#include "core/probe/mpsse/mpsse_packer.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/wire_port.h"

namespace {

using namespace imprimo;
using namespace imprimo::test;
using jtag::Register;
using jtag::Rest;

/// TMS and TDI of every clock: 0 and 1 with TDI 0, A and B with TDI 1. TDI counts only where something is shifted.
class Trace {
 public:
  void clock(bool tms, bool tdi) {
    const bool shifts = state_ == jtag::TapState::ShiftDr || state_ == jtag::TapState::ShiftIr;
    text_ += shifts && tdi ? (tms ? 'B' : 'A') : (tms ? '1' : '0');
    state_ = jtag::next(state_, tms);
  }
  const std::string& text() const { return text_; }

 private:
  jtag::TapState state_ = jtag::TapState::RunTestIdle;
  std::string text_;
};

/// JTAG_Sequence, alone or within ExecuteCommands, read as a probe would.
void readDap(const Bytes& request, Trace& trace) {
  std::size_t at = 0;
  int commands = 1;
  if (request[0] == 0x7F) {
    commands = request[1];
    at = 2;
  }
  for (int c = 0; c < commands; ++c) {
    if (request.at(at) == 0x09) {
      at += 3;
      continue;
    }
    QCOMPARE(request.at(at), std::uint8_t{0x14});
    const int sequences = request.at(at + 1);
    at += 2;
    for (int s = 0; s < sequences; ++s) {
      const std::uint8_t info = request.at(at++);
      const unsigned count = (info & 63) == 0 ? 64 : info & 63;
      for (unsigned i = 0; i < count; ++i)
        trace.clock((info & 0x40) != 0, (request.at(at + i / 8) >> (i % 8) & 1) != 0);
      at += (count + 7) / 8;
    }
  }
  QCOMPARE(at, request.size());
}

/// The engine's commands; `tms` is the level that its pin holds.
void readMpsse(const Bytes& commands, Trace& trace, bool& tms) {
  for (std::size_t at = 0; at < commands.size();) {
    const std::uint8_t command = commands[at++];
    if (command == 0x19 || command == 0x39) {
      const std::size_t bytes = 1 + commands.at(at) + 256u * commands.at(at + 1);
      at += 2;
      for (std::size_t i = 0; i < 8 * bytes; ++i) trace.clock(tms, (commands.at(at + i / 8) >> (i % 8) & 1) != 0);
      at += bytes;
    } else if (command == 0x1B || command == 0x3B) {
      const unsigned bits = 1u + commands.at(at++);
      for (unsigned i = 0; i < bits; ++i) trace.clock(tms, (commands.at(at) >> i & 1) != 0);
      ++at;
    } else if (command == 0x4B || command == 0x6B) {
      const unsigned bits = 1u + commands.at(at++);
      const bool tdi = (commands.at(at) & 0x80) != 0;
      for (unsigned i = 0; i < bits; ++i) trace.clock(tms = (commands.at(at) >> i & 1) != 0, tdi);
      ++at;
    } else if (command == 0x8E) {
      for (unsigned i = 0; i < 1u + commands.at(at); ++i) trace.clock(tms, false);
      ++at;
    } else if (command == 0x8F) {
      const std::size_t clocks = 8 * (1 + commands.at(at) + 256u * commands.at(at + 1));
      for (std::size_t i = 0; i < clocks; ++i) trace.clock(tms, false);
      at += 2;
    } else {
      QFAIL("a command that no batch needs");
    }
  }
}

jtag::ScanBatch randomBatch(std::mt19937& random) {
  jtag::ScanBatch batch;
  Rest now = Rest::Idle;
  Register last = Register::Data;
  const std::size_t count = 1 + below(random, 12);
  for (std::size_t i = 0; i < count; ++i) {
    if (now == Rest::Idle && below(random, 3) == 0) batch.idle(static_cast<std::uint32_t>(below(random, 5000)));
    if (now == Rest::Pause && below(random, 3) == 0)
      batch.clocks(false, static_cast<std::uint32_t>(1 + below(random, 3000)));
    if (now == Rest::Reset && below(random, 3) == 0)
      batch.clocks(true, static_cast<std::uint32_t>(1 + below(random, 30)));
    jtag::Scan scan;
    scan.into = now == Rest::Shift ? last : below(random, 3) == 0 ? Register::Instruction : Register::Data;
    last = scan.into;
    for (std::size_t k = 1 + below(random, below(random, 5) == 0 ? 3000 : 90); k > 0; --k)
      scan.out.append(random() % 2 == 0);
    scan.from = now;
    if (below(random, 3) == 0) scan.captures = {{below(random, scan.out.size()), scan.out.size()}};
    constexpr Rest kRests[] = {Rest::Idle, Rest::Update, Rest::Pause, Rest::Reset, Rest::Shift};
    scan.until = i + 1 == count ? Rest::Idle : kRests[below(random, 5)];
    now = scan.until;
    batch.add(std::move(scan));
  }
  return batch;
}

class RestsTest : public QObject {
  Q_OBJECT
 private slots:
  void bothPackersClockWhatTheBatchSays() {
    for (unsigned seed = 0; seed < 1500; ++seed) {
      std::mt19937 random(seed);
      const jtag::ScanBatch batch = randomBatch(random);
      Trace plain, dap, mpsse;
      WirePort wire([&](bool tms, bool tdi) { return plain.clock(tms, tdi), false; }, 1'000'000);
      wire.run(batch);
      std::uint64_t counted = 0;
      for (const auto& item : batch.items()) counted += jtag::clocksOf(item);
      QCOMPARE(counted, plain.text().size());
      const std::size_t sizes[] = {64, 65, 512, 4096};
      probe::DapPacker packer(sizes[seed % 4], [&](probe::DapPacket&& packet) {
        readDap(packet.request, dap);
        if (seed % 2 == 0) packer.reuse(std::move(packet));
      });
      packer.add(batch);
      packer.flush();
      QCOMPARE(dap.text(), plain.text());
      bool tms = false;
      probe::MpssePacker engine([&](probe::MpsseChunk&& chunk) { readMpsse(chunk.commands, mpsse, tms); });
      engine.add(batch);
      engine.flush();
      QCOMPARE(mpsse.text(), plain.text());
    }
  }
};

IMPRIMO_TEST(RestsTest);

}  // namespace

#include "tst_rests.moc"
