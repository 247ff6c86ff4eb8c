// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/debug/core_control.h"
#include "core/packs/chip_card.h"
#include "core/packs/sequence_run.h"
#include "core/probe/probe.h"
#include "core/sheet/core_entry.h"

namespace imprimo::bench {

/// The debug sequences of a core's pack, carried out on its debug port.
class ChipSequences : public packs::SequenceTarget {
 public:
  ChipSequences(std::shared_ptr<const packs::Chip> chip, std::string file, const sheet::CoreEntry& entry,
                probe::Probe& probe, debug::PortWires& wires, debug::DebugPort& port, debug::MemAp& bus);

  /// Whether the pack has one of its own.
  bool has(const std::string& name) const { return run_.has(name); }
  /// Carries it out; nothing where the pack has none. Throws as packs::SequenceRun::run().
  void carryOut(const std::string& name);

  std::uint32_t readPort(std::uint32_t dp, std::uint32_t address) override;
  void writePort(std::uint32_t dp, std::uint32_t address, std::uint32_t value) override;
  std::uint32_t readAccessPort(std::uint32_t ap, std::uint32_t address) override;
  void writeAccessPort(std::uint32_t ap, std::uint32_t address, std::uint32_t value) override;
  std::uint64_t readMemory(std::uint32_t ap, std::uint64_t address, unsigned bytes) override;
  void writeMemory(std::uint32_t ap, std::uint64_t address, unsigned bytes, std::uint64_t value) override;
  void delay(std::uint64_t microseconds) override;
  std::uint32_t pins(std::uint32_t output, std::uint32_t select, std::uint64_t microseconds) override;
  void bits(std::uint32_t count, std::uint64_t value) override;
  std::uint64_t now() override;
  bool standard(const std::string& name) override;
  void message(const std::string& text) override;

  /// What sequences told the user, each once.
  const std::vector<std::string>& messages() const { return messages_; }
  /// The part of the flash that is worked on next, for sequences that prepare it.
  void setFlash(const AddressRange& flash);

 private:
  debug::MemAp& busOf(std::uint32_t ap);
  void holdReset(bool held);

  std::shared_ptr<const packs::Chip> chip_;
  probe::Probe& probe_;
  debug::PortWires& wires_;
  debug::DebugPort& port_;
  debug::MemAp& bus_;
  bool jtag_;
  std::uint32_t own_;  // the access port of bus_
  std::map<std::uint32_t, debug::MemAp> others_;
  std::vector<std::string> messages_;
  packs::SequenceRun run_;
};

}  // namespace imprimo::bench
