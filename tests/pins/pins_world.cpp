// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/pins/pins_world.h"

#include <fmt/format.h>

#include "core/base/atomic_file.h"
#include "core/probe/dap/dap_probe.h"
#include "core/store/copy_store.h"
#include "core/store/file_records.h"
#include "core/store/folder_notes.h"
#include "tests/support/check.h"
#include "tests/support/loop_transport.h"

namespace imprimo::test {

std::string PinsWorld::bsdlText(int extraCells) {
  std::string cells;
  for (int i = 0; i < 8; ++i) {
    cells += fmt::format(R"x("{} (BC_2, *, control, 1)," & "{} (BC_1, IO({}), output3, X, {}, 1, Z)," & )x", 3 * i,
                         3 * i + 1, i, 3 * i);
    cells += fmt::format(R"x("{} (BC_1, IO({}), input, X)," & )x", 3 * i + 2, i);
  }
  std::string extra;
  for (int i = 0; i < extraCells; ++i) extra += fmt::format(R"x( & ",{} (BC_0, *, internal, X)")x", 36 + i);
  return R"x(entity LARK_P36 is
  generic (PHYSICAL_PIN_MAP : string := "QFP20");
  port (IO : inout bit_vector(0 to 7); IN_A : in bit; OUT_B : out bit; OD : inout bit; SH : inout bit_vector(0 to 1);
        BD : inout bit; MODE : in bit; TCK, TMS, TDI : in bit; TDO : out bit; VCC : linkage bit);
  use STD_1149_1_2001.all;
  attribute COMPONENT_CONFORMANCE of LARK_P36 : entity is "STD_1149_1_2001";
  attribute PIN_MAP of LARK_P36 : entity is PHYSICAL_PIN_MAP;
  constant QFP20 : PIN_MAP_STRING := "IO : (1,2,3,4,5,6,7,8), IN_A : 9, OUT_B : 10, OD : 11, SH : (12,13), BD : 14, " &
    "MODE : 15, TCK : 16, TMS : 17, TDI : 18, TDO : 19, VCC : 20";
  attribute TAP_SCAN_IN of TDI : signal is true;
  attribute TAP_SCAN_MODE of TMS : signal is true;
  attribute TAP_SCAN_OUT of TDO : signal is true;
  attribute TAP_SCAN_CLOCK of TCK : signal is (20.0e6, BOTH);
  attribute COMPLIANCE_PATTERNS of LARK_P36 : entity is "(MODE) (0)";
  attribute INSTRUCTION_LENGTH of LARK_P36 : entity is 5;
  attribute INSTRUCTION_OPCODE of LARK_P36 : entity is
    "BYPASS (11111)," & "EXTEST (00100)," & "SAMPLE (00010)," & "PRELOAD (00011)," & "IDCODE (00001)";
  attribute INSTRUCTION_CAPTURE of LARK_P36 : entity is "00001";
  attribute IDCODE_REGISTER of LARK_P36 : entity is "XXXX" & "1100011001110000" & "11111111110" & "1";
  attribute BOUNDARY_LENGTH of LARK_P36 : entity is )x" +
         std::to_string(36 + extraCells) + R"x(;
  attribute BOUNDARY_REGISTER of LARK_P36 : entity is )x" +
         cells +
         R"x("24 (BC_1, IN_A, input, X)," & "25 (BC_1, OUT_B, output2, 1)," &
    "26 (BC_1, OD, output2, 1, 26, 1, WEAK1)," & "27 (BC_1, OD, input, X)," &
    "28 (BC_2, *, control, 0)," & "29 (BC_1, SH(0), output3, X, 28, 0, Z)," & "30 (BC_1, SH(1), output3, X, 28, 0, Z)," &
    "31 (BC_1, SH(0), input, X)," & "32 (BC_1, SH(1), input, X)," &
    "33 (BC_2, *, control, 0)," & "34 (BC_7, BD, bidir, X, 33, 0, Z)," & "35 (BC_0, *, internal, X)")x" +
         extra + R"x(;
end LARK_P36;
)x";
}

namespace {

/// A bench's device with the world's boundary register.
std::string deviceText(const std::string& name, const std::string& drives, int extraCells = 0) {
  std::string pins;
  for (int i = 0; i < 8; ++i)
    pins += fmt::format(R"x({{"port": "IO({})", "enable": {}, "off": 1, "out": {}, "in": {}{}}}, )x", i, 3 * i,
                        3 * i + 1, 3 * i + 2, i == 0 && !drives.empty() ? ", " + drives : "");
  return fmt::format(
      R"x({{"name": "{}", "ir_length": 5, "idcode": "0x0C670FFD", "instructions": [{{"opcode": "00001", "register": "idcode"}},
   {{"opcode": "00010", "register": "sample"}}, {{"opcode": "00011", "register": "preload"}},
   {{"opcode": "00100", "register": "extest"}}],
   "boundary": {{"length": {}, "pins": [{}
     {{"port": "IN_A", "in": 24}}, {{"port": "OUT_B", "out": 25, "drives": 1}}, {{"port": "OD", "out": 26, "enable": 26, "off": 1, "in": 27}},
     {{"port": "SH(0)", "enable": 28, "off": 0, "out": 29, "in": 31}}, {{"port": "SH(1)", "enable": 28, "off": 0, "out": 30, "in": 32}},
     {{"port": "BD", "enable": 33, "off": 0, "out": 34, "in": 34}}]}}}})x",
      name, 36 + extraCells, pins);
}

}  // namespace

PinsWorld::PinsWorld(PinsWorldOptions o) {
  const std::string back =
      o.twins ? deviceText("back", "") : R"x({"name": "back", "ir_length": 6, "idcode": "0x1F40AFFD",
   "instructions": [{"opcode": "001001", "register": "idcode"}]})x";
  const std::string bench = fmt::format(
      R"x({{"imprimo_bench": 1, "probe": {{{}"packet_size": 512, "packet_count": 4}}, "chain": [
 {{"name": "front", "ir_length": 8, "idcode": "0x0C64AFFD", "instructions": [{{"opcode": "00000110", "register": "idcode"}}]}},
 {},
 {}],
 "flashes": [{{"name": "boot", "id": "0x7E4015", "size": "2M"{},
   "times": {{"page": [0.0004, 0.003], "4K": [0.004, 0.4], "32K": [0.012, 1.6], "64K": [0.015, 2.0], "chip": [0.2, 10]}}}}],
 "nets": [{{"pins": ["lark.IO(4)"], "flash": "boot", "wire": "cs", "pull": 1}}, {{"pins": ["lark.IO(5)"], "flash": "boot", "wire": "clk", "pull": 0}},
          {{"pins": ["lark.IO(6)"], "flash": "boot", "wire": "mosi"}}, {{"pins": ["lark.IO(7)"], "flash": "boot", "wire": "miso", "pull": 0}},
          {{"pins": ["lark.IO(0)", "lark.IN_A"{}], "pull": 0}}, {{"pins": ["lark.IO(1)", "lark.BD"], "pull": 1}}, {{"pins": ["lark.OD"], "pull": 1}}{}]}})x",
      o.probe, deviceText("lark", o.drives, o.extraCells), back, o.flash, o.twins ? R"x(, "back.IO(2)")x" : "", o.nets);
  if (o.cells > 0) {
    onlyPins(o);
    return;
  }
  const std::string last = o.twins ? R"({"name": "back", "bsdl": "lark.bsd"})"
                                   : R"({"name": "back", "ir_length": 6, "idcode": "0x1F40AFFD"})";
  const std::string text = fmt::format(
      R"x({{"imprimo": 1, "title": "Pins", "probe": {{"clock": 10000000}},
 "chain": [{{"name": "front", "ir_length": 8, "idcode": "0x0C64AFFD"}}, {{"name": "lark", "bsdl": "lark.bsd"}}, {}],
 "memories": [{{"name": "boot", "type": "spi-nor"{},
   "route": {{"via": "pins", "device": "lark", "cs": "{}", "clk": "io(5)", "mosi": "IO(6)", "miso": "IO(7)"{}}}}}]{}}})x",
      last, o.memory, o.io4, o.route, o.sheet);
  writeFileAtomically(path("lark.bsd").toStdString(), o.bsdl.empty() ? bsdlText(o.extraCells) : o.bsdl);
  writeFileAtomically(path("sheet.imprimo").toStdString(), text);
  writeFileAtomically(path("bench.json").toStdString(), bench);
  sim_ = sim::parseBench(bench, path("bench.json").toStdString());
  sheet_ = sheet::readSheet(path("sheet.imprimo").toStdString());
}

void PinsWorld::onlyPins(const PinsWorldOptions& o) {
  std::string pins;
  for (int i = 0; i < o.cells / 3; ++i)
    pins += fmt::format(R"x({}{{"port": "IO({})", "enable": {}, "off": 1, "out": {}, "in": {}}})x", i == 0 ? "" : ", ",
                        i, 3 * i, 3 * i + 1, 3 * i + 2);
  const std::string bench = fmt::format(
      R"x({{"imprimo_bench": 1, "probe": {{"packet_size": 512, "packet_count": 4}}, "chain": [
 {{"name": "lark", "ir_length": 5, "idcode": "0x0C670FFD", "instructions": [{{"opcode": "00001", "register": "idcode"}},
   {{"opcode": "00010", "register": "sample"}}, {{"opcode": "00011", "register": "preload"}},
   {{"opcode": "00100", "register": "extest"}}], "boundary": {{"length": {}, "pins": [{}]}}}}]}})x",
      o.cells, pins);
  writeFileAtomically(path("lark.bsd").toStdString(), o.bsdl);
  writeFileAtomically(path("bench.json").toStdString(), bench);
  writeFileAtomically(path("sheet.imprimo").toStdString(),
                      R"x({"imprimo": 1, "title": "Pins", "probe": {"clock": 10000000},
 "chain": [{"name": "lark", "bsdl": "lark.bsd"}]})x");
  sim_ = sim::parseBench(bench, path("bench.json").toStdString());
  sheet_ = sheet::readSheet(path("sheet.imprimo").toStdString());
}

bench::Bench& PinsWorld::bench() {
  if (!bench_) {
    bench_ = std::make_unique<bench::Bench>(
        sheet_, std::make_unique<probe::DapProbe>(std::make_unique<LoopTransport>(*sim_), atClock(10'000'000)));
  }
  return *bench_;
}

Bytes PinsWorld::fill(std::size_t size, unsigned seed) {
  std::mt19937 random(seed);
  const Bytes bytes = randomBytes(random, size);
  for (std::size_t i = 0; i < size; ++i) sim_->flash("boot").cells().set(i, bytes[i]);
  return bytes;
}

bool PinsWorld::level(const char* port) {
  // By a capture of its own, which is no part of what is tested.
  const auto& pins = boundary().model().pins;
  for (const sim::BoundaryPinModel& pin : pins) {
    if (pin.name == port) return boundary().capture(sim::BoundaryMode::Sample, board().now())[*pin.input];
  }
  return false;
}

run::Record PinsWorld::carryOut(const plan::Wanted& wanted) {
  store::CopyStore backups(path("copies").toStdString());
  store::FileRecordSink records(path("records").toStdString());
  store::FolderNotes notes(path("unfinished").toStdString());
  run::RunObserver nobody;
  return *run::carryOut(wanted, bench(), {backups, records, notes}, nobody, {});
}

plan::Wanted PinsWorld::wanted(plan::Task task, const MemoryImage& image) const {
  plan::Wanted wanted;
  wanted.task = task;
  wanted.memory = "boot";
  wanted.image = image;
  return wanted;
}

}  // namespace imprimo::test
