// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/vectors/words.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"

namespace imprimo::vectors {
namespace {

using Kind = svf::Statement::Kind;
using jtag::TapState;

/// Longer scans are not looked into, but for their kind.
constexpr std::size_t kMostDecoded = 1 << 20;

std::string waitText(const svf::RunTest& run) {
  std::string text;
  if (run.seconds) {
    const double s = *run.seconds;
    text = "wait " + (s < 1e-3 ? fmt::format("{:.3g} µs", s * 1e6)
                      : s < 1  ? fmt::format("{:.3g} ms", s * 1e3)
                               : fmt::format("{:.3g} s", s));
  } else {
    text = fmt::format("{} clocks", *run.clocks);
  }
  if (run.run != TapState::RunTestIdle) text += fmt::format(" in {}", jtag::nameOf(run.run));
  if (run.systemClock) text += " of SCK";
  return text;
}

}  // namespace

std::string VectorWords::instructionWords(const svf::Reader& reader) {
  chain_.instruct(svf::wholeScan(reader, svf::Field::Sir));
  const std::size_t bits = reader.value(svf::Field::Hir).length + reader.value(svf::Field::Sir).length +
                           reader.value(svf::Field::Tir).length;
  if (chain_.instructionBits() != bits) return countText(bits, "instruction bit");
  std::string text;
  for (std::size_t i = 0; i < chain_.devices().size(); ++i) {
    const svf::ChainView::Held& held = chain_.held()[i];
    if (held.bypass) continue;
    text += fmt::format("{}{}: {}", text.empty() ? "" : ", ", chain_.devices()[i].name,
                        held.name.empty() ? held.code.digits() : held.name);
  }
  return text.empty() ? "all in BYPASS" : text;
}

std::string VectorWords::dataWords(const svf::Reader& reader) {
  const svf::FieldValue& own = reader.value(svf::Field::Sdr);
  const bool compared = own.tdo.has_value();
  if (own.length <= kMostDecoded) {
    const std::size_t late = reader.value(svf::Field::Hdr).length + reader.value(svf::Field::Tdr).length + 1;
    if (const auto operations = decoder_.decode(own.tdi, own.tdo ? &*own.tdo : nullptr, &own.mask, late)) {
      std::string text;
      for (const BridgeOperation& op : *operations) {
        // What enables a write is said with what it is for.
        if (op.kind == BridgeOperation::Kind::WriteEnable && operations->size() > 1) continue;
        text += (text.empty() ? "" : ", then ") + op.text();
      }
      return text;
    }
  }
  const std::size_t total = own.length + reader.value(svf::Field::Hdr).length + reader.value(svf::Field::Tdr).length;
  if (total <= 4096 && chain_.predicted(total)) return compared ? "IDCODEs and BYPASS, compared" : "IDCODEs and BYPASS";
  const auto device = chain_.addressed();
  if (!device) return compared ? "compared" : "";
  const svf::ChainView::Held& held = chain_.held()[*device];
  return fmt::format("{}: {} behind {}{}", chain_.devices()[*device].name, bitsText(own.length),
                     held.name.empty() ? held.code.digits() : held.name, compared ? ", compared" : "");
}

std::string VectorWords::words(const svf::Statement& s, const svf::Reader& reader) {
  switch (s.kind) {
    case Kind::Scan:
      return s.field == svf::Field::Sir ? instructionWords(reader) : dataWords(reader);
    case Kind::Padding: {
      const std::size_t length = reader.value(s.field).length;
      const bool header = s.field == svf::Field::Hir || s.field == svf::Field::Hdr;
      const bool instruction = s.field == svf::Field::Hir || s.field == svf::Field::Tir;
      if (length == 0) return {};
      return fmt::format("{} for the parts {} it", countText(length, instruction ? "instruction bit" : "bit"),
                         header ? "behind" : "in front of");
    }
    case Kind::RunTest:
      return waitText(s.runTest);
    case Kind::State:
      if (std::count(s.path.begin(), s.path.end(), TapState::TestLogicReset) > 0) chain_.reset();
      return fmt::format("to {}", jtag::nameOf(s.path.back()));
    case Kind::Frequency:
      return s.hz ? "TCK at most " + hertzText(*s.hz) : "TCK as fast as it goes";
    case Kind::Trst:
      if (s.trst == svf::Trst::On) chain_.reset();
      return s.trst == svf::Trst::On ? "reset of all TAPs" : "";
    case Kind::EndDr:
      return fmt::format("data scans end in {}", jtag::nameOf(s.state));
    case Kind::EndIr:
      return fmt::format("instruction scans end in {}", jtag::nameOf(s.state));
    case Kind::Pio:
    case Kind::PioMap:
      return {};
  }
  return {};
}

}  // namespace imprimo::vectors
