// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

namespace imprimo::sim {

/// The commands that the model knows.
enum : std::uint8_t {
  kWriteStatus = 0x01,
  kProgram = 0x02,
  kRead = 0x03,
  kWriteDisable = 0x04,
  kReadStatus = 0x05,
  kWriteEnable = 0x06,
  kFastRead = 0x0B,
  kProgram4 = 0x12,
  kRead4 = 0x13,
  kVolatileEnable = 0x50,
  kReadBank = 0x16,
  kWriteBank = 0x17,
  kErase4K = 0x20,
  kErase4K4 = 0x21,
  kReadStatus2 = 0x35,
  kReadUnique = 0x4B,
  kErase32K = 0x52,
  kReadSfdp = 0x5A,
  kErase32K4 = 0x5C,
  kEraseChip2 = 0x60,
  kReadAny = 0x65,
  kArmReset = 0x66,
  kReset = 0x99,
  kReadId = 0x9F,
  kWake = 0xAB,
  kEnterFourByte = 0xB7,
  kSleep = 0xB9,
  kWriteSegment = 0xC5,
  kEraseChip = 0xC7,
  kReadSegment = 0xC8,
  kErase64K = 0xD8,
  kErase64K4 = 0xDC,
  kLeaveFourByte = 0xE9,
};

/// Commands over several lines, as data sheets have them; the clocks are those of our parts and stand in their tables.
struct WideOperation {
  std::uint8_t command;
  unsigned addressLines, dataLines, modeClocks, dummyClocks;
  bool programs, fourByte;
};
inline constexpr WideOperation kWideOperations[] = {
    {0x3B, 1, 2, 0, 8, false, false}, {0xBB, 2, 2, 4, 0, false, false}, {0x6B, 1, 4, 0, 8, false, false},
    {0xEB, 4, 4, 2, 4, false, false}, {0x3C, 1, 2, 0, 8, false, true},  {0xBC, 2, 2, 4, 0, false, true},
    {0x6C, 1, 4, 0, 8, false, true},  {0xEC, 4, 4, 2, 4, false, true},  {0xA2, 1, 2, 0, 0, true, false},
    {0x32, 1, 4, 0, 0, true, false},  {0x38, 4, 4, 0, 0, true, false},  {0x34, 1, 4, 0, 0, true, true},
    {0x3E, 4, 4, 0, 0, true, true}};
constexpr const WideOperation* wideOperationOf(std::uint8_t command) {
  for (const WideOperation& each : kWideOperations) {
    if (each.command == command) return &each;
  }
  return nullptr;
}

constexpr std::uint8_t kBusyBit = 0x01, kEnabledBit = 0x02, kProtectBits = 0x1C;

/// With as many address bytes as the part is set to.
constexpr bool takesAddress(std::uint8_t c) {
  return c == kProgram || c == kRead || c == kFastRead || c == kErase4K || c == kErase32K || c == kErase64K;
}
constexpr bool alwaysFour(std::uint8_t c) {
  return c == kProgram4 || c == kRead4 || c == kErase4K4 || c == kErase32K4 || c == kErase64K4;
}
/// A byte between address and answer.
constexpr bool hasDummy(std::uint8_t c) {
  return c == kFastRead || c == kReadSfdp || c == kReadAny;
}
constexpr bool takesData(std::uint8_t c) {
  return c == kWriteStatus || c == kWriteBank || c == kWriteSegment || c == kReadUnique;
}
constexpr bool reads(std::uint8_t c) {
  return c == kRead || c == kRead4 || c == kFastRead || c == kReadStatus || c == kReadStatus2 || c == kReadId ||
         c == kReadSfdp || c == kReadUnique || c == kReadAny || c == kReadBank || c == kReadSegment;
}

}  // namespace imprimo::sim
