// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/vectors/bridge_decoder.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "core/flash/spi_nor_commands.h"
#include "core/spi/bridge_frames.h"

namespace imprimo::vectors {
namespace {

namespace bridge = spi::bridge;
namespace command = flash::command;
using Kind = BridgeOperation::Kind;

constexpr std::uint8_t kRead4 = 0x13, kProgram4 = 0x12;
constexpr std::uint8_t kFourByteErases[] = {0x21, 0x5C, 0xDC};

/// Bytes of answers from bit `at`, and which of their bits are compared.
void answers(const BitVector* tdo, const BitVector* mask, std::size_t at, std::size_t count, BridgeOperation& to) {
  to.answerAt = at;
  to.bytes.assign(count, 0);
  to.known.assign(count, 0);
  if (tdo == nullptr || at + 8 * count > tdo->size()) return;
  tdo->readMsbFirst(at, to.bytes);
  if (mask == nullptr || mask->empty()) {
    to.known.assign(count, 0xFF);
  } else {
    mask->readMsbFirst(at, to.known);
  }
  to.answered =
      static_cast<std::size_t>(std::count_if(to.known.begin(), to.known.end(), [](auto m) { return m != 0; }));
}

}  // namespace

std::string BridgeOperation::text() const {
  const auto compared = [&] { return answered > 0 ? fmt::format(", {} compared", answered) : std::string(); };
  switch (kind) {
    case Kind::Hello:
      return "greet the bridge";
    case Kind::WriteEnable:
      return "write enable";
    case Kind::Program:
      return fmt::format("program {} at {}", countText(range.size(), "byte"), hexAddress(range.begin));
    case Kind::Erase:
      return range.empty() ? fmt::format("erase with 0x{:02X} at {}", command, hexAddress(range.begin))
                           : fmt::format("erase {} at {}", sizeText(range.size()), hexAddress(range.begin));
    case Kind::Read:
      return fmt::format("read {} at {}{}", countText(range.size(), "byte"), hexAddress(range.begin), compared());
    case Kind::Status:
      if (answered > 0 && bytes.back() == 0 && known.back() == 1) return "status: busy must be 0";
      return answered > 0 ? fmt::format("status: 0x{:02X} under mask 0x{:02X}", bytes.back(), known.back()) : "status";
    case Kind::Id:
      return answered > 0 ? "ask for its ID, compared" : "ask for its ID";
    case Kind::Guard:
      return "go on only if it is ready";
    case Kind::Other:
      return fmt::format("command 0x{:02X}", command);
  }
  return {};
}

std::uint64_t BridgeDecoder::address(const Bytes& body, bool four) const {
  std::uint64_t value = four ? 0 : segment_;
  for (std::size_t i = 1; i <= (four ? 4u : 3u) && i < body.size(); ++i) value = value << 8 | body[i];
  return value;
}

BridgeOperation BridgeDecoder::operation(const Bytes& body, std::size_t at, const BitVector* tdo, const BitVector* mask,
                                         std::size_t late) {
  BridgeOperation op;
  op.command = body.front();
  const bool four = four_ || op.command == kRead4 || op.command == kProgram4 ||
                    std::count(std::begin(kFourByteErases), std::end(kFourByteErases), op.command) > 0;
  const std::size_t lead = four ? 5 : 4;
  const auto answered = [&](std::size_t from) { answers(tdo, mask, at + 8 * from + late, body.size() - from, op); };
  switch (op.command) {
    case command::kWriteEnable:
      op.kind = Kind::WriteEnable;
      return op;
    case command::kProgram:
    case kProgram4:
      if (body.size() <= lead) return op;
      op.kind = Kind::Program;
      op.bytes.assign(body.begin() + static_cast<std::ptrdiff_t>(lead), body.end());
      op.range = {address(body, four), address(body, four) + op.bytes.size()};
      return op;
    case command::kRead:
    case kRead4:
      if (body.size() <= lead) return op;
      op.kind = Kind::Read;
      answered(lead);
      op.range = {address(body, four), address(body, four) + op.bytes.size()};
      return op;
    case command::kReadStatus:
      op.kind = Kind::Status;
      answered(1);
      return op;
    case command::kReadId:
      op.kind = Kind::Id;
      answered(1);
      return op;
    case command::kEnterFourByte:
    case command::kLeaveFourByte:
      four_ = op.command == command::kEnterFourByte;
      return op;
    case command::kWriteBank:
      if (body.size() > 1) four_ = (body[1] & 0x80) != 0;
      return op;
    case command::kWriteSegment:
      if (body.size() > 1) segment_ = body[1];
      return op;
    default:
      break;
  }
  const auto erase = eraseSizes_.find(op.command);
  if (erase != eraseSizes_.end() && body.size() == lead) {
    op.kind = Kind::Erase;
    const std::uint64_t begin = address(body, four) / erase->second * erase->second;
    op.range = {begin, begin + erase->second};
  }
  return op;
}

std::optional<std::vector<BridgeOperation>> BridgeDecoder::decode(const BitVector& tdi, const BitVector* tdo,
                                                                  const BitVector* mask, std::size_t late) {
  std::vector<BridgeOperation> operations;
  for (std::size_t at = 0; at + bridge::kHeaderBits <= tdi.size();) {
    if (!tdi[at]) {
      ++at;  // any number of zeros may stand between frames; sync begins with a 1
      continue;
    }
    Bytes header(bridge::kHeaderBytes);
    tdi.readLsbFirst(at, header);
    const std::size_t length = header[2] | static_cast<std::size_t>(header[3]) << 8;
    if (header[0] != bridge::kSync || bridge::crc8(ByteSpan(header).subspan(1, 3)) != header[4] || length == 0)
      return std::nullopt;
    at += bridge::kHeaderBits;
    if (at + 8 * length > tdi.size()) return std::nullopt;
    Bytes body(length);
    tdi.readMsbFirst(at, body);
    switch (static_cast<bridge::Opcode>(header[1])) {
      case bridge::Opcode::Hello:
        operations.push_back({Kind::Hello, 0, {}, {}, {}, 0, 0});
        answers(tdo, mask, at + late, length, operations.back());
        break;
      case bridge::Opcode::Exchange:
        operations.push_back(operation(body, at, tdo, mask, late));
        break;
      case bridge::Opcode::Guard:
        operations.push_back({Kind::Guard, body[0], {}, {}, {}, 0, 0});
        break;
      default:
        return std::nullopt;
    }
    at += 8 * length;
  }
  if (operations.empty()) return std::nullopt;
  return operations;
}

}  // namespace imprimo::vectors
