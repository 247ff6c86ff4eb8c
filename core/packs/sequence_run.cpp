// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/packs/sequence_run.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/packs/pack_description.h"

namespace imprimo::packs {
namespace {

/// What no sequence needs: it is one that goes on for ever.
constexpr std::uint64_t kMostSteps = 400'000;
constexpr std::uint64_t kMostTime = 60'000'000;  // microseconds
constexpr std::size_t kDeepestCalls = 24;
constexpr std::uint64_t kIgnoreErrors = 1;

std::uint32_t low(std::uint64_t value) {
  return static_cast<std::uint32_t>(value);
}

}  // namespace

SequenceRun::SequenceRun(const PackDevice& device, SequenceTarget& target, Options options)
    : device_(device), target_(target), options_(std::move(options)) {
  predefined_ = {{"__protocol", options_.protocol},
                 {"__connection", options_.connection},
                 {"__dp", options_.port},
                 {"__ap", options_.accessPort},
                 {"__apid", 0},
                 {"__traceout", 0},
                 {"__errorcontrol", 0},
                 {"__FlashOp", 0},
                 {"__FlashAddr", 0},
                 {"__FlashLen", 0},
                 {"__FlashArg", 0},
                 {"__Result", 0}};
  for (const PackAccessPort& port : device_.accessPorts) {
    if (port.at == options_.accessPort && port.port == options_.port) predefined_["__apid"] = port.id;
  }
  device_variables_ = predefined_;
  scopes_.emplace_back();
  for (const Statement& each : parseStatements(device_.variables, {options_.file, device_.variablesLine}))
    statement(each);
  device_variables_.merge(scopes_.back());
  scopes_.clear();
}

const PackSequence* SequenceRun::find(const std::string& name) const {
  const PackSequence* best = nullptr;
  for (const PackSequence& sequence : device_.sequences) {
    if (sequence.name != name) continue;
    if (!sequence.processor.empty() && !options_.processor.empty() && sequence.processor != options_.processor)
      continue;
    if (best == nullptr || !sequence.processor.empty()) best = &sequence;
  }
  return best;
}

bool SequenceRun::has(const std::string& name) const {
  const PackSequence* sequence = find(name);
  return sequence != nullptr && !sequence->disabled;
}

void SequenceRun::fail(const std::string& sentence) const {
  throw Error(
      ErrorKind::BadFile,
      fmt::format("{}:{}: {}: {}", options_.file, line_, calls_.empty() ? "debugvars" : calls_.back(), sentence),
      "The pack's maker has to mend that; a core card can describe the chip instead.");
}

void SequenceRun::run(const std::string& name) {
  for (const auto& [each, first] : predefined_) device_variables_[each] = first;
  steps_ = 0;
  said_.clear();
  calls_.clear();
  scopes_.clear();
  sequence(name);
  if (const std::uint64_t result = device_variables_["__Result"]; result != 0)
    throw Error(ErrorKind::Refused,
                fmt::format("the pack's sequence {} ends with {}{}", name, result,
                            said_.empty() ? "" : fmt::format(" and says \"{}\"", said_)),
                "What the pack's maker says of it may tell more.");
}

std::optional<std::uint64_t> SequenceRun::variable(const std::string& name) const {
  const auto there = device_variables_.find(name);
  return there == device_variables_.end() ? std::nullopt : std::optional(there->second);
}

void SequenceRun::sequence(const std::string& name) {
  const PackSequence* sequence = find(name);
  if (sequence == nullptr) {
    if (!target_.standard(name)) fail(fmt::format("there is no sequence {}", name));
    return;
  }
  if (sequence->disabled) return;
  if (std::find(calls_.begin(), calls_.end(), name) != calls_.end()) {
    // What it calls by its own name is the standard's.
    if (calls_.back() == name && target_.standard(name)) return;
    fail(fmt::format("{} calls itself", name));
  }
  if (calls_.size() >= kDeepestCalls) fail("sequences call each other without end");
  calls_.push_back(name);
  // Its variables are its own.
  std::vector<Scope> outer;
  outer.swap(scopes_);
  scopes_.emplace_back();
  nodes(sequence->nodes);
  scopes_.swap(outer);
  calls_.pop_back();
}

void SequenceRun::nodes(const std::vector<SequenceNode>& nodes) {
  for (const SequenceNode& node : nodes) {
    line_ = node.line;
    if (node.control) {
      control(node);
      continue;
    }
    for (const Statement& each : understood(node).statements) statement(each);
  }
}

const SequenceRun::Understood& SequenceRun::understood(const SequenceNode& node) {
  const auto there = understood_.find(&node);
  if (there != understood_.end()) return there->second;
  const TextPlace place{options_.file, node.line};
  return understood_
      .emplace(&node, Understood{parseExpression(node.condition, place), parseExpression(node.loop, place),
                                 parseStatements(node.text, place)})
      .first->second;
}

void SequenceRun::control(const SequenceNode& node) {
  const auto& [condition, loop, none] = understood(node);
  if (value(condition) == 0) return;
  const auto body = [&] {
    scopes_.emplace_back();
    nodes(node.nodes);
    scopes_.pop_back();
    line_ = node.line;
  };
  if (node.loop.empty()) return body();
  const std::uint64_t begin = target_.now();
  while (value(loop) != 0) {
    step();
    body();
    const std::uint64_t took = target_.now() - begin;
    if (node.timeout && *node.timeout != 0 && took >= *node.timeout) return;
    if (took >= kMostTime) fail("it goes on for more than a minute");
  }
}

void SequenceRun::step() {
  if (options_.stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped");
  if (++steps_ > kMostSteps) fail("it goes on without end");
}

std::uint64_t* SequenceRun::place(const std::string& name) {
  for (auto scope = scopes_.rbegin(); scope != scopes_.rend(); ++scope) {
    if (const auto there = scope->find(name); there != scope->end()) return &there->second;
  }
  const auto there = device_variables_.find(name);
  return there == device_variables_.end() ? nullptr : &there->second;
}

void SequenceRun::statement(const Statement& statement) {
  line_ = statement.line;
  step();
  switch (statement.kind) {
    case Statement::Kind::Declare: {
      const std::uint64_t first = value(statement.value);
      scopes_.back()[statement.variable] = first;
      return;
    }
    case Statement::Kind::Assign: {
      const std::uint64_t next = value(statement.value);
      std::uint64_t* variable = place(statement.variable);
      if (variable == nullptr) fail(fmt::format("there is no variable {}", statement.variable));
      *variable = next;
      return;
    }
    case Statement::Kind::Evaluate:
      value(statement.value);
  }
}

std::uint64_t SequenceRun::value(const Expression& e) {
  step();
  switch (e.kind) {
    case Expression::Kind::Number:
      return e.number;
    case Expression::Kind::Text:
      fail("a text stands where a number should");
    case Expression::Kind::Variable:
      if (const std::uint64_t* variable = place(e.name)) return *variable;
      fail(fmt::format("there is no variable {}", e.name));
    case Expression::Kind::Unary: {
      const std::uint64_t operand = value(e.parts[0]);
      return e.name == "-" ? 0 - operand : e.name == "~" ? ~operand : e.name == "!" ? (operand == 0 ? 1 : 0) : operand;
    }
    case Expression::Kind::Conditional:
      return value(e.parts[value(e.parts[0]) != 0 ? 1 : 2]);
    case Expression::Kind::Binary:
      return binary(e);
    case Expression::Kind::Call:
      return call(e);
  }
  return 0;
}

std::uint64_t SequenceRun::binary(const Expression& e) {
  const std::string& sign = e.name;
  const std::uint64_t a = value(e.parts[0]);
  if (sign == "&&") return a != 0 && value(e.parts[1]) != 0 ? 1 : 0;
  if (sign == "||") return a != 0 || value(e.parts[1]) != 0 ? 1 : 0;
  const std::uint64_t b = value(e.parts[1]);
  if (sign == "+") return a + b;
  if (sign == "-") return a - b;
  if (sign == "*") return a * b;
  if (sign == "&") return a & b;
  if (sign == "|") return a | b;
  if (sign == "^") return a ^ b;
  if (sign == "==") return a == b ? 1 : 0;
  if (sign == "!=") return a != b ? 1 : 0;
  if (sign == "<") return a < b ? 1 : 0;
  if (sign == ">") return a > b ? 1 : 0;
  if (sign == "<=") return a <= b ? 1 : 0;
  if (sign == ">=") return a >= b ? 1 : 0;
  if (sign == "<<") return b < 64 ? a << b : 0;
  if (sign == ">>") return b < 64 ? a >> b : 0;
  if (b == 0) fail("something is divided by 0");
  return sign == "/" ? a / b : a % b;
}

std::string SequenceRun::text(const Expression& e) const {
  if (e.kind != Expression::Kind::Text) fail("a text should stand where something else does");
  return e.name;
}

std::uint64_t SequenceRun::call(const Expression& e) {
  const auto needs = [&](std::size_t least, std::size_t most) {
    if (e.parts.size() < least || e.parts.size() > most)
      fail(fmt::format("{} takes {} arguments, and has {}", e.name, least, e.parts.size()));
  };
  if (e.name == "Sequence") {
    needs(1, 1);
    sequence(text(e.parts[0]));
    return device_variables_["__Result"];
  }
  // Nobody is asked: what the pack would take without an answer is taken.
  if (e.name == "Query") {
    needs(3, 3);
    const std::uint64_t taken = value(e.parts[2]);
    target_.message(fmt::format("\"{}\": {} was taken, as the pack proposes", text(e.parts[1]), taken));
    return taken;
  }
  if (e.name == "QueryValue") {
    needs(2, 2);
    const std::uint64_t taken = value(e.parts[1]);
    target_.message(fmt::format("\"{}\": {} was taken, as the pack proposes", text(e.parts[0]), taken));
    return taken;
  }
  if (e.name == "Message") {
    needs(2, 16);
    said_ = text(e.parts[1]);
    target_.message(said_);
    return 0;
  }
  if (e.name == "LoadDebugInfo") return 0;  // what is debugged is no concern here
  try {
    return access(e);
  } catch (const Error& error) {
    const std::uint64_t* errors = place("__errorcontrol");
    const bool ignored = errors != nullptr && (*errors & kIgnoreErrors) != 0;
    if (!ignored || error.kind() == ErrorKind::BadFile || error.kind() == ErrorKind::Stopped) throw;
    return 0;
  }
}

std::uint64_t SequenceRun::access(const Expression& e) {
  std::vector<std::uint64_t> given;
  for (const Expression& part : e.parts) given.push_back(value(part));
  const auto needs = [&](std::size_t count) {
    if (given.size() != count) fail(fmt::format("{} takes {} arguments, and has {}", e.name, count, given.size()));
  };
  const std::uint32_t dp = low(*place("__dp"));
  std::uint32_t ap = low(*place("__ap"));
  if (const std::uint64_t id = *place("__apid"); id != 0) {
    for (const PackAccessPort& port : device_.accessPorts) {
      if (port.id == id) ap = port.at;
    }
  }
  for (const unsigned bytes : {1u, 2u, 4u, 8u}) {
    if (e.name == fmt::format("Read{}", 8 * bytes)) {
      needs(1);
      return target_.readMemory(ap, given[0], bytes);
    }
    if (e.name == fmt::format("Write{}", 8 * bytes)) {
      needs(2);
      target_.writeMemory(ap, given[0], bytes, given[1]);
      return 0;
    }
  }
  if (e.name == "ReadDP") return needs(1), target_.readPort(dp, low(given[0]));
  if (e.name == "ReadAP" || e.name == "ReadAccessAP") return needs(1), target_.readAccessPort(ap, low(given[0]));
  if (e.name == "WriteDP") return needs(2), target_.writePort(dp, low(given[0]), low(given[1])), 0;
  if (e.name == "WriteAP" || e.name == "WriteAccessAP")
    return needs(2), target_.writeAccessPort(ap, low(given[0]), low(given[1])), 0;
  if (e.name == "DAP_Delay") return needs(1), target_.delay(std::min(given[0], kMostTime)), 0;
  if (e.name == "DAP_WriteABORT") return needs(1), target_.writePort(dp, 0, low(given[0])), 0;
  if (e.name == "DAP_SWJ_Pins")
    return needs(3), target_.pins(low(given[0]), low(given[1]), std::min(given[2], kMostTime));
  if (e.name == "DAP_SWJ_Sequence") return needs(2), target_.bits(low(given[0]), given[1]), 0;
  if (e.name == "DAP_SWJ_Clock") return needs(1), 0;  // the clock is the sheet's
  fail(fmt::format("{} is no function that this program knows", e.name));
}

}  // namespace imprimo::packs
