// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/base/error.h"
#include "core/probe/adapter_card.h"

namespace imprimo::probe {

class Driver;

enum class ProbeState {
  Ready,
  KernelDriver,     ///< a serial driver of the kernel has the interface
  HeldByProcess,    ///< another program has it open
  NoPermission,     ///< the device file does not let this user in
  UnknownFirmware,  ///< it answers, but not as its interface promises
  SlowLink,         ///< it works, and every question takes long
};
/// "ready", "kernel-driver" and so on, as in JSON.
const char* nameOf(ProbeState state);

/// A probe on this computer's USB, and what keeps it from being used.
struct ProbeEntry {
  const Driver* by = nullptr;  ///< who opens it
  std::string kind;            ///< for people: "CMSIS-DAP 2", "MPSSE, generic"
  std::string address;         ///< "usb:SERIAL"
  std::string vendor, product, serial;
  std::string port;  ///< where it is plugged in: "1-4.2"
  int bus = 0, device = 0, interface = 0;
  std::uint16_t vendorId = 0, productId = 0;
  std::string node;            ///< the device file to open: "/dev/bus/usb/001/004", "/dev/hidraw3"
  std::size_t reportSize = 0;  ///< bytes of a HID report, without its number; 0 where it is no HID device
  AdapterCard card;            ///< of one that is known by its card
  ProbeState state = ProbeState::Ready;
  std::string what;        ///< the state in a sentence: "held by gauge-logger (process 812)"
  std::string remedy;      ///< what to do next; empty when it is ready
  Help help = Help::None;  ///< how, where the programs differ
  std::string driver, holder;
  int holderId = 0;
  std::optional<std::chrono::microseconds> roundTrip;  ///< the median, where it was measured
  std::string speaks;                                  ///< "JTAG, SWD", where it was asked

  bool usable() const { return state == ProbeState::Ready || state == ProbeState::SlowLink; }
};

/// What a probe says when it is asked.
struct ProbeReply {
  std::vector<std::chrono::microseconds> times;  ///< of single questions
  std::string speaks;                            ///< "JTAG, SWD"
};

/// Where the facts about this computer's USB come from. Tests put a made tree at `root`.
struct SystemRoot {
  std::filesystem::path root = "/";
  /// Whether this process may read and write a device file; the path has the root in front.
  std::function<bool(const std::filesystem::path&)> mayUse{};
  int self = 0;  ///< this process's number; 0: ask the system
  /// Asks a probe several times and says what each took; without it the probe is opened.
  std::function<ProbeReply(const ProbeEntry&)> ask{};
};

struct ProbeListing {
  std::vector<ProbeEntry> probes;
  bool usbThere = false;       ///< the computer has USB at all
  std::string virtualMachine;  ///< what the machine calls itself, when it is one made of software
  /// In words, when there is no probe: what was looked for and what to do.
  std::string nothingFound() const;
};

/// Looks at sysfs and /proc only; opens no device. CMSIS-DAP is known by its interface's name, adapters by the cards.
ProbeListing listProbes(const SystemRoot& root, const std::vector<AdapterCard>& cards);

/// Asks a probe several times and notes what it takes: slow links and strange firmware show here. `ask` opens the
/// probe, asks once for each entry of the result, and throws what opening throws.
void measure(ProbeEntry& entry, const ProbeListing& listing, const std::function<ProbeReply(const ProbeEntry&)>& ask);

/// The rule that lets people at this computer use the probes listed, and any other that says it is one.
std::string udevRule(const ProbeListing& listing);
std::filesystem::path udevRulePath();
/// Writes the rule where the system looks for it and has it read, asking for an administrator's password (pkexec).
/// Throws CannotWrite.
void installUdevRule(const std::string& rule);

}  // namespace imprimo::probe
