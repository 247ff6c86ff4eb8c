// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/knowledge.h"

namespace imprimo::run {

plan::Knowledge knowledgeOf(bench::Bench& bench, const std::string& name) {
  bench::BenchMemory& memory = bench.at(name);
  const memory::Identity& identity = memory.identity();
  plan::Knowledge known;
  known.geometry = identity.geometry;
  known.contents = &memory.contents().bytes();
  known.sure = &memory.contents().sure();
  known.answers = true;
  known.compares = memory.memory().comparing() != nullptr;
  known.continuity = memory.continuity();
  known.words = memory.continuityWords();
  known.speed = memory.speed();
  known.registers = identity.registers;
  known.protection = identity.protection;
  if (known.protection) {
    known.protectionRegister =
        memory.lastRegisters().at(memory::registerNamed(identity.registers, known.protection->inRegister));
  }
  return known;
}

std::optional<plan::Knowledge> lastKnownOf(bench::Bench& bench, const std::string& name) {
  const bench::BenchMemory::Before* before = bench.at(name).before();
  if (before == nullptr) return std::nullopt;
  plan::Knowledge known;
  known.geometry = before->identity.geometry;
  known.contents = &before->contents.bytes();
  known.sure = &before->contents.sure();
  known.speed = bench.at(name).speed();
  return known;
}

}  // namespace imprimo::run
