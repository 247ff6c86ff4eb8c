// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>

#include "core/configure/device_batch.h"
#include "core/configure/procedure.h"

namespace imprimo::configure {

/// What is to come out of a device, in wire order.
struct Expected {
  BitVector value, mask;  ///< of equal length; only bits under a 1 are compared
  BitVector crc, output;  ///< 1: goes into the check sum, to the output
  std::string where, instruction;
  std::chrono::microseconds within{};  ///< in a loop: what its rounds take together
  bool any() const { return !mask.empty(); }
};

/// Who carries out what flows say.
class IscSink {
 public:
  virtual ~IscSink() = default;
  /// `bits` of data go over with it.
  virtual void add(DeviceScan scan, const Expected* expected, std::uint64_t bits) = 0;
  /// Everything added has been done by now; the first mismatch since the last call.
  virtual std::optional<Mismatch> decide() = 0;
};

/// Reads flows as IEEE 1532 has them and tells a sink, activity by activity.
class IscInterpreter {
 public:
  IscInterpreter(const Target& target, const ConfigData* data, IscSink& sink)
      : target_(target), isc_(*target.description->isc), data_(data), sink_(sink) {}

  /// One procedure. `given` names the data of flows that have none in brackets. Its input begins at the first bit and
  /// has to be used up. Throws BadFile where it does not fit the file.
  std::optional<Mismatch> procedure(const bsdl::IscName& name, const std::string& given);

 private:
  std::optional<Mismatch> flow(const bsdl::IscFlow& flow);
  std::optional<Mismatch> blocks(const std::vector<bsdl::IscBlock>& blocks, bool decideAtOnce);
  std::optional<Mismatch> element(const bsdl::IscElement& element, bool decideAtOnce);
  void activity(const bsdl::IscActivity& activity);
  BitVector evaluate(const bsdl::IscValue& value, std::uint32_t length);
  BitVector input(std::uint32_t length);
  void openInput();
  void closeInput(const bsdl::IscName& procedure);
  BitVector& variable(const std::string& name, std::uint32_t length);
  std::string where() const;

  const Target& target_;
  const bsdl::IscDescription& isc_;
  const ConfigData* data_;
  IscSink& sink_;
  std::map<std::string, BitVector> variables_;

  // Of the procedure that is read now.
  const bsdl::IscFlow* flow_ = nullptr;
  std::string dataName_;
  const ConfigData::Section* input_ = nullptr;
  std::size_t at_ = 0, row_ = 0, rowAt_ = 0;
  std::uint32_t round_ = 0;
  double loopSeconds_ = 0;  // what the rounds of a loop behind the first one wait together
};

}  // namespace imprimo::configure
