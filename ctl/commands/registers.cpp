// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a memory's registers hold.
#include <fmt/format.h>

#include <bitset>
#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/runs.h"
#include "ctl/session.h"

namespace imprimo::ctl {
namespace {

struct Assignment {
  std::string name;
  std::optional<memory::RegisterBits> bits;
  std::uint8_t value = 0;
};

/// "status 1=0x1C", "status 1[4..2]=7" or "status 1[block protection]=7".
Assignment assignment(const std::vector<memory::Register>& registers, const std::string& text) {
  const auto fail = [&]() -> Error {
    return {ErrorKind::Usage, fmt::format("--set takes REGISTER=VALUE or REGISTER[BITS]=VALUE, not '{}'", text),
            "For example --set \"status 1=0x1C\" or --set \"status 1[4..2]=7\"."};
  };
  const std::size_t equals = text.rfind('=');
  if (equals == std::string::npos) throw fail();
  Assignment a;
  a.name = text.substr(0, equals);
  const auto value = parseNumber(text.substr(equals + 1));
  if (!value || *value > 0xFF) throw fail();
  a.value = static_cast<std::uint8_t>(*value);
  const std::size_t bracket = a.name.find('[');
  if (bracket == std::string::npos) return a;
  if (a.name.back() != ']') throw fail();
  const std::string bits = a.name.substr(bracket + 1, a.name.size() - bracket - 2);
  a.name.resize(bracket);
  for (const memory::RegisterBits& b : registers[memory::registerNamed(registers, a.name)].bits) {
    if (b.name == bits) a.bits = b;
  }
  const auto typed = memory::parseBits(bits);
  if (!a.bits && typed) a.bits = {typed->first, typed->second, {}, {}, false, false};
  if (!a.bits || a.value > a.bits->of(0xFF)) throw fail();
  return a;
}

Json registersJson(const std::vector<memory::Register>& registers, const std::vector<std::uint8_t>& values) {
  Json list = Json::array();
  for (std::size_t i = 0; i < registers.size(); ++i) {
    Json entry = {{"name", registers[i].name}, {"value", hexByte(values[i])}, {"bits", Json::array()}};
    for (const memory::RegisterBits& b : registers[i].bits)
      entry["bits"].push_back({{"name", b.name}, {"high", b.high}, {"low", b.low}, {"value", b.of(values[i])}});
    list.push_back(std::move(entry));
  }
  return list;
}

void tellRegisters(const Context& context, const std::vector<memory::Register>& registers,
                   const std::vector<std::uint8_t>& values) {
  for (std::size_t i = 0; i < registers.size(); ++i) {
    const memory::Register& r = registers[i];
    context.out << fmt::format("{}: {} ({}), {}\n", r.name, hexByte(values[i]), std::bitset<8>(values[i]).to_string(),
                               r.access);
    for (const memory::RegisterBits& b : r.bits) {
      const std::string bits = memory::bitsText(b.high, b.low);
      context.out << fmt::format("  {:>4}  {:<20} {:>3}  {}{}{}\n", bits, b.name, b.of(values[i]), b.what,
                                 b.readOnly ? (b.what.empty() ? "read only" : "; read only") : "",
                                 b.once ? "; one-time: once set it stays set" : "");
    }
  }
}

struct RegistersOptions : SheetOptions {
  std::vector<std::string> sets;
  bool oneTimeBits = false;
};

void addOptions(OptionList& own, RegistersOptions& options) {
  addSheetAndMemory(own, options);
  own.option("--set", options.sets, "write: REGISTER=VALUE or REGISTER[BITS]=VALUE; can be repeated")
      .typeName("SETTING")
      .oneEach();
  own.flag("--one-time-bits,--for-ever", options.oneTimeBits, "also write bits that can never be cleared again");
}

/// What is to be written, one setting after the other. Throws Refused for bits that can never be cleared again, unless
/// they are asked for.
plan::Wanted wantedOf(const RegistersOptions& options, const std::string& name,
                      const std::vector<memory::Register>& registers, std::vector<std::uint8_t> values) {
  plan::Wanted all;
  all.task = plan::Task::SetRegisters;
  all.memory = name;
  for (const std::string& text : options.sets) {
    const Assignment a = assignment(registers, text);
    const std::size_t index = memory::registerNamed(registers, a.name);
    const std::uint8_t now = values[index];
    const auto wanted = a.bits ? static_cast<std::uint8_t>((now & ~a.bits->mask()) | a.value << a.bits->low) : a.value;
    const std::uint8_t forEver = wanted & ~now & registers[index].once();
    if (forEver != 0 && !options.oneTimeBits) {
      throw Error(ErrorKind::Refused,
                  fmt::format("{} = {} sets one-time bits ({}), which can never be cleared", a.name, hexByte(wanted),
                              std::bitset<8>(forEver).to_string()),
                  "Nothing was written. To write them all the same, add --one-time-bits.");
    }
    values[index] = wanted;
    all.registers.push_back({registers[index].name, wanted});
  }
  return all;
}

int runRegisters(const RegistersOptions& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  const std::string name = oneMemory(options, sheet);
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, *bench, sheet.waitSeconds);
  bench->checkChain();
  reach(name, *bench, context);
  const std::vector<memory::Register> registers = bench->at(name).identify().registers;
  std::vector<std::uint8_t> values = bench->at(name).registers().read();
  const plan::Wanted wanted = wantedOf(options, name, registers, values);
  for (const plan::RegisterValue& set : wanted.registers) {
    plan::Wanted one = wanted;
    one.registers = {set};
    const std::size_t index = memory::registerNamed(registers, set.name);
    const std::uint8_t before = values[index];
    requireGood(*runAside(one, *bench, context));
    values = bench->at(name).registers().read();
    context.err << fmt::format("{} was {} and is {}; to undo: --set \"{}={}\"\n", set.name, hexByte(before),
                               hexByte(values[index]), set.name, hexByte(before));
  }
  if (options.json) {
    print(context, {{"registers", registersJson(registers, values)}});
  } else {
    tellRegisters(context, registers, values);
  }
  return 0;
}

}  // namespace

CommandRow registersCommand() {
  return commandRow<RegistersOptions>("registers", "a memory's status and configuration registers, bit by bit",
                                      addOptions, runRegisters);
}

}  // namespace imprimo::ctl
