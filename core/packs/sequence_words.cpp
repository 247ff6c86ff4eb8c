// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "core/base/number.h"
#include "core/packs/sequence_run.h"

namespace imprimo::packs {
namespace {

std::string valueWords(const Expression& e) {
  return e.kind == Expression::Kind::Number ? fmt::format("0x{:x}", e.number) : textOf(e);
}

/// What a function of the standard does; empty for what only computes.
std::string callWords(const Expression& e) {
  const auto part = [&](std::size_t i) { return i < e.parts.size() ? valueWords(e.parts[i]) : std::string("?"); };
  for (const char* bits : {"8", "16", "32", "64"}) {
    if (e.name == std::string("Read") + bits) return fmt::format("read {} bits at {}", bits, part(0));
    if (e.name == std::string("Write") + bits) return fmt::format("write {} to {} ({} bits)", part(1), part(0), bits);
  }
  if (e.name == "ReadDP") return fmt::format("read register {} of the debug port", part(0));
  if (e.name == "WriteDP") return fmt::format("write {} to register {} of the debug port", part(1), part(0));
  if (e.name == "ReadAP" || e.name == "ReadAccessAP")
    return fmt::format("read register {} of the access port", part(0));
  if (e.name == "WriteAP" || e.name == "WriteAccessAP")
    return fmt::format("write {} to register {} of the access port", part(1), part(0));
  if (e.name == "DAP_WriteABORT") return fmt::format("write {} to ABORT of the debug port", part(0));
  if (e.name == "DAP_Delay") return fmt::format("wait {} us", e.parts.empty() ? "?" : textOf(e.parts[0]));
  if (e.name == "DAP_SWJ_Pins") return fmt::format("set the pins {} to {}", part(1), part(0));
  if (e.name == "DAP_SWJ_Sequence") return fmt::format("send {} bits: {}", part(0), part(1));
  if (e.name == "DAP_SWJ_Clock")
    return fmt::format("ask for a clock of {} Hz", e.parts.empty() ? "?" : textOf(e.parts[0]));
  if (e.name == "Sequence" && !e.parts.empty()) return fmt::format("carry out {}", e.parts[0].name);
  if (e.name == "Message" && e.parts.size() > 1) return fmt::format("say: {}", e.parts[1].name);
  return {};
}

/// The calls of an expression, those within first.
void addCalls(const Expression& e, std::vector<std::string>& all) {
  for (const Expression& part : e.parts) addCalls(part, all);
  if (e.kind != Expression::Kind::Call) return;
  if (std::string words = callWords(e); !words.empty()) all.push_back(std::move(words));
}

void addNodes(const std::vector<SequenceNode>& nodes, const std::string& file, const std::string& indent,
              std::vector<std::string>& lines) {
  const auto say = [&](const std::string& line) { lines.push_back(indent + line); };
  for (const SequenceNode& node : nodes) {
    const TextPlace place{file, node.line};
    if (!node.info.empty()) say("# " + node.info);
    if (!node.control) {
      for (const Statement& each : parseStatements(node.text, place)) {
        std::vector<std::string> calls;
        addCalls(each.value, calls);
        for (const std::string& call : calls) say(call);
        const bool computes = each.value.kind != Expression::Kind::Call || calls.empty();
        if (!each.variable.empty() && computes) say(fmt::format("{} = {}", each.variable, textOf(each.value)));
        if (!each.variable.empty() && !computes) lines.back() += fmt::format(", as {}", each.variable);
      }
      continue;
    }
    std::string inner = indent;
    if (!node.condition.empty()) {
      say("if " + textOf(parseExpression(node.condition, place)) + ":");
      inner += "  ";
    }
    if (!node.loop.empty()) {
      const std::string most =
          node.timeout && *node.timeout != 0
              ? fmt::format(", at most {}", durationText(static_cast<double>(*node.timeout) * 1e-6))
              : "";
      lines.push_back(fmt::format("{}as long as {}{}:", inner, textOf(parseExpression(node.loop, place)), most));
      inner += "  ";
    }
    addNodes(node.nodes, file, inner, lines);
  }
}

}  // namespace

std::vector<std::string> sequenceWords(const PackSequence& sequence, const std::string& file) {
  std::vector<std::string> lines;
  addNodes(sequence.nodes, file, "", lines);
  return lines;
}

}  // namespace imprimo::packs
