// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <stop_token>

#include "core/packs/pack_device.h"
#include "core/packs/sequence_text.h"

namespace imprimo::packs {

/// What debug sequences act on. Each throws Error where the access fails.
class SequenceTarget {
 public:
  virtual ~SequenceTarget() = default;
  virtual std::uint32_t readPort(std::uint32_t dp, std::uint32_t address) = 0;
  virtual void writePort(std::uint32_t dp, std::uint32_t address, std::uint32_t value) = 0;
  virtual std::uint32_t readAccessPort(std::uint32_t ap, std::uint32_t address) = 0;
  virtual void writeAccessPort(std::uint32_t ap, std::uint32_t address, std::uint32_t value) = 0;
  /// `bytes`: 1, 2, 4 or 8.
  virtual std::uint64_t readMemory(std::uint32_t ap, std::uint64_t address, unsigned bytes) = 0;
  virtual void writeMemory(std::uint32_t ap, std::uint64_t address, unsigned bytes, std::uint64_t value) = 0;
  virtual void delay(std::uint64_t microseconds) = 0;
  /// Reset and the like as DAP_SWJ_Pins has them; what the pins are afterwards.
  virtual std::uint32_t pins(std::uint32_t output, std::uint32_t select, std::uint64_t microseconds) = 0;
  virtual void bits(std::uint32_t count, std::uint64_t value) = 0;
  /// By the clock that limits are measured with, in microseconds.
  virtual std::uint64_t now() = 0;
  /// What is told to the user.
  virtual void message(const std::string&) {}
  /// Carries out what a sequence of the standard does that the pack does not have. False: there is none of that name.
  virtual bool standard(const std::string& name) = 0;
};

/// Interprets the debug sequences of a device.
class SequenceRun {
 public:
  struct Options {
    std::string file;              ///< of the description, for messages
    std::string processor;         ///< whose sequences are meant
    std::uint32_t protocol = 2;    ///< __protocol: 1 JTAG, 2 SWD
    std::uint32_t connection = 1;  ///< __connection
    std::uint32_t port = 0, accessPort = 0;
    std::stop_token stop{};
  };

  SequenceRun(const PackDevice& device, SequenceTarget& target, Options options);

  /// Whether the pack has it, and does not switch it off.
  bool has(const std::string& name) const;
  /// Carries it out; one that the pack does not have is the standard's. Throws BadFile with file and line for what
  /// cannot be carried out, that goes on for ever or calls itself; Refused where it sets __Result; what the target
  /// throws, unless
  /// __errorcontrol says that errors do not matter; Stopped.
  void run(const std::string& name);
  /// The value that a variable of the standard has when the next sequence begins: "__FlashAddr".
  void predefine(const std::string& name, std::uint64_t value) { predefined_[name] = value; }
  /// A variable of the device, as it is now.
  std::optional<std::uint64_t> variable(const std::string& name) const;

 private:
  using Scope = std::map<std::string, std::uint64_t>;

  /// What was understood of a node, which may be come to again and again.
  struct Understood {
    Expression condition, loop;
    std::vector<Statement> statements;
  };
  const Understood& understood(const SequenceNode& node);
  const PackSequence* find(const std::string& name) const;
  void sequence(const std::string& name);
  void nodes(const std::vector<SequenceNode>& nodes);
  void control(const SequenceNode& node);
  void statement(const Statement& statement);
  std::uint64_t value(const Expression& expression);
  std::uint64_t binary(const Expression& expression);
  std::uint64_t call(const Expression& expression);
  std::uint64_t access(const Expression& expression);
  std::uint64_t* place(const std::string& name);
  std::string text(const Expression& expression) const;
  void step();
  [[noreturn]] void fail(const std::string& sentence) const;

  const PackDevice& device_;
  SequenceTarget& target_;
  const Options options_;
  Scope predefined_;  // as each run begins with them
  Scope device_variables_;
  std::map<const SequenceNode*, Understood> understood_;
  std::vector<Scope> scopes_;
  std::vector<std::string> calls_;
  std::size_t line_ = 1;
  std::uint64_t steps_ = 0;
  std::string said_;  // the last message of the sequence
};

/// What a sequence does, each access in words, a line each; what is repeated or depends on something is indented.
/// Throws BadFile for what cannot be understood.
std::vector<std::string> sequenceWords(const PackSequence& sequence, const std::string& file);

}  // namespace imprimo::packs
