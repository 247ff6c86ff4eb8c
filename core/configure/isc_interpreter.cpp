// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/configure/isc_interpreter.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"

namespace imprimo::configure {

using bsdl::IscValue;

namespace {

BitVector resized(const BitVector& bits, std::size_t length) {
  if (bits.size() == length) return bits;
  BitVector result = bits.slice(0, std::min(bits.size(), length));
  result.appendFill(false, length - result.size());
  return result;
}

/// a + b, or a - b as a + ~b + 1, bit by bit, of a's length.
BitVector sum(const BitVector& a, const BitVector& b, bool subtract) {
  BitVector result;
  unsigned carry = subtract ? 1 : 0;
  for (std::size_t i = 0; i < a.size(); ++i) {
    const unsigned second = i < b.size() && b[i] ? 1u : 0u;
    const unsigned s = (a[i] ? 1u : 0u) + (subtract ? 1 - second : second) + carry;
    result.append((s & 1) != 0);
    carry = s >> 1;
  }
  return result;
}

BitVector shifted(const BitVector& a, const BitVector& by, bool left) {
  const std::size_t n = std::min<std::size_t>(by.bits(0, 32), a.size());
  BitVector result;
  if (left) result.appendFill(false, n);
  result.append(a.slice(left ? 0 : n, a.size() - n));
  if (!left) result.appendFill(false, n);
  return result;
}

BitVector combined(const BitVector& a, const BitVector& b, bool both) {
  BitVector result;
  for (std::size_t i = 0; i < a.size(); ++i) {
    const bool second = i < b.size() && b[i];
    result.append(both ? a[i] && second : a[i] || second);
  }
  return result;
}

}  // namespace

BitVector& IscInterpreter::variable(const std::string& name, std::uint32_t length) {
  const auto found = variables_.find(name);
  if (found == variables_.end()) {
    throw Error(
        ErrorKind::BadFile,
        fmt::format("{}: {} uses ${} before anything was put into it", target_.description->entity, where(), name),
        "The part's ISC_FLOW attribute is wrong here.");
  }
  found->second = resized(found->second, length);
  return found->second;
}

BitVector IscInterpreter::evaluate(const IscValue& value, std::uint32_t length) {
  using Operation = IscValue::Operation;
  switch (value.kind) {
    case IscValue::Kind::Digits:
      return value.bits;
    case IscValue::Kind::Input:
      return input(length);
    case IscValue::Kind::Output:
      return BitVector(length);
    case IscValue::Kind::Variable:
      break;
  }
  const auto operand = [&] { return value.operand.empty() ? value.bits : variable(value.operand, length); };
  if (value.operation == Operation::Set) {
    return variables_[value.variable] = value.setFromInput ? input(length) : operand();
  }
  BitVector& now = variable(value.variable, length);
  switch (value.operation) {
    case Operation::Add:
      return now = sum(now, operand(), false);
    case Operation::Subtract:
      return now = sum(now, operand(), true);
    case Operation::ShiftLeft:
    case Operation::ShiftRight:
      return now = shifted(now, operand(), value.operation == Operation::ShiftLeft);
    case Operation::And:
    case Operation::Or:
      return now = combined(now, operand(), value.operation == Operation::And);
    case Operation::Invert: {
      // What stands behind "~" is meant the other way round; the variable stays.
      BitVector inverted;
      for (std::size_t i = 0; i < now.size(); ++i) inverted.append(!now[i]);
      return inverted;
    }
    default:
      return now;
  }
}

void IscInterpreter::openInput() {
  if (input_ != nullptr) return;
  if (data_ != nullptr) input_ = data_->section(dataName_.empty() ? "array" : dataName_);
  if (input_ != nullptr) return;
  throw Error(ErrorKind::BadFile,
              data_ == nullptr ? fmt::format("{} needs a file", where())
                               : fmt::format("{}: has no data {} for {}", data_->file,
                                             dataName_.empty() ? "array" : dataName_, where()),
              "Nothing was touched.")
      .untouched();
}

BitVector IscInterpreter::input(std::uint32_t length) {
  openInput();
  const std::size_t left = input_->bits.size() - at_;
  if (length > left) {
    throw Error(ErrorKind::BadFile,
                fmt::format("{}: is {} bits too short for {}: {} bits, and this asks for at least {}", data_->file,
                            length - left, where(), input_->bits.size(), at_ + length),
                "Nothing was touched. It was cut off, or is for another part.")
        .untouched();
  }
  // Rows of a data file are what one scan takes; one row may also hold all of it.
  if (row_ < input_->rows.size()) {
    if (rowAt_ + length > input_->rows[row_]) {
      throw Error(ErrorKind::BadFile,
                  fmt::format("{}:{}: the row has {} bits, {} takes {}", data_->file, input_->lines[row_],
                              input_->rows[row_], where(), length),
                  "Nothing was touched. It is for another part, or was edited.")
          .untouched();
    }
    rowAt_ += length;
    if (rowAt_ == input_->rows[row_]) ++row_, rowAt_ = 0;
  }
  BitVector bits = input_->bits.slice(at_, length);
  at_ += length;
  return bits;
}

void IscInterpreter::closeInput(const bsdl::IscName& procedure) {
  if (input_ == nullptr) return;
  std::size_t left = input_->bits.size() - at_;
  // A file of bytes may end in the middle of one.
  const bool padding = data_->format == ConfigData::Format::Raw && left < 8 && input_->bits.bits(at_, left) == 0;
  input_ = nullptr;
  if (left == 0 || padding) return;
  throw Error(ErrorKind::BadFile,
              fmt::format("{}: is {} bits too long for {}, which takes {}", data_->file, left, procedure.text(), at_),
              "Nothing was touched. It is for another part, or something was added after it.")
      .untouched();
}

std::string IscInterpreter::where() const {
  if (flow_ == nullptr) return dataName_;
  return round_ == 0 ? flow_->name.text() : fmt::format("{}, round {}", flow_->name.text(), round_);
}

void IscInterpreter::activity(const bsdl::IscActivity& a) {
  DeviceScan scan;
  scan.opcode = opcodeOf(target_, a.instruction);
  scan.clocks = a.clocks;
  scan.seconds = a.seconds;
  std::uint64_t bits = 0;
  const std::size_t before = at_;
  // The first field ends up next to TDI, so the last one goes first. Values are taken in the order of the file.
  std::vector<BitVector> fields;
  for (const bsdl::IscField& f : a.updates) fields.push_back(evaluate(f.value, f.length));
  if (fields.size() == 1) {
    scan.update = std::move(fields.front());
  } else {
    for (auto f = fields.rbegin(); f != fields.rend(); ++f) scan.update.append(*f);
  }
  Expected expected;
  std::vector<Expected> devices;
  for (const bsdl::IscField& f : a.captures) {
    Expected device;
    device.value = f.anything ? BitVector(f.length) : evaluate(f.value, f.length);
    const bool compared = !f.anything && f.value.kind != IscValue::Kind::Output;
    device.mask = f.mask ? evaluate(*f.mask, f.length) : BitVector(f.length, compared);
    device.crc = BitVector(f.length, f.crc);
    device.output = BitVector(f.length, f.output);
    if (f.output && f.value.kind == IscValue::Kind::Output) bits += f.length;
    devices.push_back(std::move(device));
  }
  for (auto p = devices.rbegin(); p != devices.rend(); ++p) {
    expected.value.append(p->value);
    expected.mask.append(p->mask);
    expected.crc.append(p->crc);
    expected.output.append(p->output);
  }
  scan.captureBits = expected.mask.size();
  expected.where = where();
  expected.instruction = a.instruction;
  expected.within = std::chrono::microseconds(static_cast<std::int64_t>(loopSeconds_ * 1e6));
  sink_.add(std::move(scan), expected.any() ? &expected : nullptr, bits + (at_ - before));
}

std::optional<Mismatch> IscInterpreter::element(const bsdl::IscElement& e, bool decideAtOnce) {
  if (e.tries == 0) {
    for (const bsdl::IscActivity& a : e.activities) {
      activity(a);
      if (!decideAtOnce || a.captures.empty()) continue;
      if (auto mismatch = sink_.decide()) return mismatch;
    }
    return std::nullopt;
  }
  if (auto mismatch = sink_.decide()) return mismatch;
  std::optional<Mismatch> last;
  for (const bsdl::IscActivity& a : e.activities) loopSeconds_ += a.seconds * (e.tries - 1);
  for (std::uint32_t i = 0; i < e.tries; ++i) {
    for (const bsdl::IscActivity& a : e.activities) activity(a);
    loopSeconds_ = 0;
    last = sink_.decide();
    if (!last && i + 1 >= e.least) return std::nullopt;
  }
  last->where += fmt::format(", after {}", countText(e.tries, "look"));
  return last;
}

std::optional<Mismatch> IscInterpreter::blocks(const std::vector<bsdl::IscBlock>& blocks, bool decideAtOnce) {
  const bool rounds = blocks.size() > 1 || (!blocks.empty() && blocks.front().times > 1);
  for (const bsdl::IscBlock& block : blocks) {
    for (std::uint32_t i = 0; i < block.times; ++i) {
      if (rounds) ++round_;
      for (const bsdl::IscElement& e : block.elements) {
        if (auto mismatch = element(e, decideAtOnce)) return mismatch;
      }
    }
  }
  return std::nullopt;
}

std::optional<Mismatch> IscInterpreter::flow(const bsdl::IscFlow& flow) {
  flow_ = &flow;
  round_ = 0;
  // Where data goes in, what is compared belongs to what was just written: nothing more is written before it is known.
  auto mismatch = blocks(flow.blocks, flow.exitOnError || flow.writesInput());
  if (!mismatch) mismatch = sink_.decide();
  round_ = 0;
  auto atEnd = blocks(flow.last, true);
  if (!atEnd) atEnd = sink_.decide();
  flow_ = nullptr;
  return mismatch ? mismatch : atEnd;
}

std::optional<Mismatch> IscInterpreter::procedure(const bsdl::IscName& name, const std::string& given) {
  const bsdl::IscProcedure& procedure = *isc_.procedure(name);
  at_ = row_ = rowAt_ = 0;
  input_ = nullptr;
  for (const bsdl::IscName& flowName : procedure.flows) {
    dataName_ = !flowName.data.empty() ? flowName.data : !name.data.empty() ? name.data : given;
    if (auto mismatch = flow(*isc_.flow(flowName))) return mismatch;
  }
  closeInput(name);
  return std::nullopt;
}

}  // namespace imprimo::configure
