// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/base/address_range.h"

namespace imprimo::packs {

struct PackProcessor {
  std::string name;  ///< Pname; empty where there is only one
  std::string core;  ///< "Cortex-M0"
};

struct PackMemory {
  std::string name;       ///< `name`, or else `id`
  std::string processor;  ///< that sees it; empty: all
  AddressRange range;
  bool writable = false;   ///< by plain accesses: RAM
  bool preferred = false;  ///< `default`
};

struct PackAlgorithm {
  std::string file;
  std::string processor;
  AddressRange range;
  std::optional<AddressRange> ram;  ///< where it runs
  bool preferred = false;
};

/// A debug port, by its __dp.
struct PackPort {
  std::uint32_t number = 0;
  bool jtag = false, swd = false;
  std::optional<std::uint32_t> target;  ///< TARGETSEL
  std::optional<std::uint32_t> irLength, idcode;
};

/// An access port by the __apid of newer packs.
struct PackAccessPort {
  std::uint32_t id = 0, port = 0;
  std::uint32_t at = 0;  ///< number, or base address
};

/// How a processor is debugged.
struct PackDebug {
  std::string processor;
  std::uint32_t port = 0;
  std::uint32_t accessPort = 0;  ///< number, or base address
};

/// A piece of a debug sequence: a block of statements, or a control with what it repeats or chooses.
struct SequenceNode {
  bool control = false;
  std::string text;                      ///< of a block
  std::string condition, loop;           ///< `if` and `while` of a control
  std::optional<std::uint64_t> timeout;  ///< microseconds
  bool atomic = false;
  std::string info;
  std::vector<SequenceNode> nodes;  ///< of a control
  std::size_t line = 0;             ///< in the description
};

struct PackSequence {
  std::string name, processor, info;
  bool disabled = false;
  std::vector<SequenceNode> nodes;
};

/// A device or variant of a pack, with what it inherits from sub-family, family and device.
struct PackDevice {
  std::string vendor, family, subFamily, name, description;
  std::vector<PackProcessor> processors;
  std::vector<PackMemory> memories;
  std::vector<PackAlgorithm> algorithms;
  std::vector<PackPort> ports;
  std::vector<PackAccessPort> accessPorts;
  std::vector<PackDebug> debugs;
  std::vector<PackSequence> sequences;
  std::string variables;  ///< statements of `debugvars`
  std::size_t variablesLine = 0;
};

}  // namespace imprimo::packs
