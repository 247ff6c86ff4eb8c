// SPDX-License-Identifier: GPL-3.0-or-later
//
// The instructions (DDI 0419, A5 and A6).
#include <bit>

#include "sim/core/arm_core.h"
#include "sim/sign_extend.h"

namespace imprimo::sim {
void ArmCore::flagsOf(std::uint32_t result) {
  n_ = result >> 31 != 0;
  z_ = result == 0;
}

std::uint32_t ArmCore::add(std::uint32_t a, std::uint32_t b, bool carry, bool setFlags) {
  const std::uint64_t wide = static_cast<std::uint64_t>(a) + b + (carry ? 1 : 0);
  const auto result = static_cast<std::uint32_t>(wide);
  if (setFlags) {
    flagsOf(result);
    c_ = wide >> 32 != 0;
    v_ = ((a ^ result) & (b ^ result)) >> 31 != 0;
  }
  return result;
}

bool ArmCore::passes(unsigned condition) const {
  bool yes = false;
  switch (condition >> 1) {
    case 0:
      yes = z_;
      break;
    case 1:
      yes = c_;
      break;
    case 2:
      yes = n_;
      break;
    case 3:
      yes = v_;
      break;
    case 4:
      yes = c_ && !z_;
      break;
    case 5:
      yes = n_ == v_;
      break;
    case 6:
      yes = n_ == v_ && !z_;
      break;
    default:
      return true;
  }
  return yes != ((condition & 1) != 0);
}

void ArmCore::branchTo(std::uint32_t target) {
  if (target >> 28 == 0xF && ipsr_ != 0) return leave(target);
  thumb_ = (target & 1) != 0;
  next_ = target & ~1u;
}

void ArmCore::execute(std::uint16_t op) {
  switch (op >> 12) {
    case 0x0:
    case 0x1:
    case 0x2:
    case 0x3:
      return shiftAddMove(op);
    case 0x4:
      if (op < 0x4400) return dataProcessing(op);
      if (op < 0x4800) return specialData(op);
      // LDR (literal)
      r_[op >> 8 & 7] = load(((pc_ + 4) & ~3u) + (op & 0xFFu) * 4, 4);
      return;
    case 0x5:
      return loadStore(op);
    case 0x6:
    case 0x7:
    case 0x8:
    case 0x9:
      return loadStoreOffset(op);
    case 0xA:
      // ADR, ADD (SP plus immediate)
      r_[op >> 8 & 7] = ((op & 0x800) != 0 ? sp() : (pc_ + 4) & ~3u) + (op & 0xFFu) * 4;
      return;
    case 0xB:
      return miscellaneous(op);
    case 0xC:
      return multiple(op);
    case 0xD:
      return branch(op);
    case 0xE:
      if ((op & 0x800) != 0) throw Fault{};
      next_ = pc_ + 4 + signExtend(op & 0x7FFu, 11) * 2;
      return;
    default:
      return wide(op);
  }
}

void ArmCore::shiftAddMove(std::uint16_t op) {
  const unsigned d = op & 7, m = op >> 3 & 7, amount = op >> 6 & 31;
  switch (op >> 11) {
    case 0:  // LSL, MOVS
      if (amount != 0) c_ = (r_[m] >> (32 - amount) & 1) != 0;
      flagsOf(r_[d] = r_[m] << amount);
      return;
    case 1:  // LSR
      c_ = (r_[m] >> ((amount == 0 ? 32 : amount) - 1) & 1) != 0;
      flagsOf(r_[d] = amount == 0 ? 0 : r_[m] >> amount);
      return;
    case 2: {  // ASR
      const unsigned by = amount == 0 ? 32 : amount;
      c_ = (r_[m] >> (by - 1) & 1) != 0;
      const auto value = static_cast<std::int32_t>(r_[m]);
      flagsOf(r_[d] = static_cast<std::uint32_t>(by == 32 ? value >> 31 : value >> by));
      return;
    }
    case 3: {  // ADD, SUB with a register or three bits
      const std::uint32_t b = (op & 0x400) != 0 ? (op >> 6 & 7) : r_[op >> 6 & 7];
      r_[d] = (op & 0x200) != 0 ? add(r_[m], ~b, true, true) : add(r_[m], b, false, true);
      return;
    }
    default:
      break;
  }
  const unsigned n = op >> 8 & 7;
  const std::uint32_t imm = op & 0xFF;
  switch (op >> 11) {
    case 4:
      flagsOf(r_[n] = imm);
      return;
    case 5:
      add(r_[n], ~imm, true, true);
      return;
    case 6:
      r_[n] = add(r_[n], imm, false, true);
      return;
    default:
      r_[n] = add(r_[n], ~imm, true, true);
  }
}

void ArmCore::dataProcessing(std::uint16_t op) {
  const unsigned d = op & 7;
  std::uint32_t& a = r_[d];
  const std::uint32_t b = r_[op >> 3 & 7];
  const unsigned by = b & 0xFF;
  switch (op >> 6 & 15) {
    case 0:
      return flagsOf(a &= b);
    case 1:
      return flagsOf(a ^= b);
    case 2:
      if (by != 0) c_ = by <= 32 && (a >> (32 - by) & 1) != 0;
      return flagsOf(a = by < 32 ? a << by : 0);
    case 3:
      if (by != 0) c_ = by <= 32 && (a >> (by - 1) & 1) != 0;
      return flagsOf(a = by < 32 ? a >> by : 0);
    case 4: {
      const auto value = static_cast<std::int32_t>(a);
      if (by != 0) c_ = (by < 32 ? a >> (by - 1) & 1 : a >> 31) != 0;
      return flagsOf(a = static_cast<std::uint32_t>(by < 32 ? value >> by : value >> 31));
    }
    case 5:
      a = add(a, b, c_, true);
      return;
    case 6:
      a = add(a, ~b, c_, true);
      return;
    case 7: {
      const unsigned turn = by & 31;
      if (by != 0) {
        a = std::rotr(a, static_cast<int>(turn));
        c_ = a >> 31 != 0;
      }
      return flagsOf(a);
    }
    case 8:
      return flagsOf(a & b);
    case 9:  // RSB from 0
      a = add(~b, 0, true, true);
      return;
    case 10:
      add(a, ~b, true, true);
      return;
    case 11:
      add(a, b, false, true);
      return;
    case 12:
      return flagsOf(a |= b);
    case 13:
      return flagsOf(a *= b);
    case 14:
      return flagsOf(a &= ~b);
    default:
      return flagsOf(a = ~b);
  }
}

void ArmCore::specialData(std::uint16_t op) {
  const unsigned d = (op & 7) | (op >> 4 & 8), m = op >> 3 & 15;
  const auto value = [this](unsigned number) { return number == 15 ? pc_ + 4 : reg(number); };
  const auto put = [this](unsigned number, std::uint32_t v) {
    if (number == 15) {
      next_ = v & ~1u;
    } else {
      setReg(number, v);
    }
  };
  switch (op >> 8 & 3) {
    case 0:
      return put(d, value(d) + value(m));
    case 1:
      add(value(d), ~value(m), true, true);
      return;
    case 2:
      return put(d, value(m));
    default: {
      if ((op & 7) != 0) throw Fault{};
      const std::uint32_t target = value(m);
      if ((op & 0x80) != 0) {
        lr_ = (pc_ + 2) | 1;
        thumb_ = (target & 1) != 0;
        next_ = target & ~1u;
        return;
      }
      return branchTo(target);
    }
  }
}

void ArmCore::miscellaneous(std::uint16_t op) {
  const unsigned d = op & 7, m = op >> 3 & 7;
  switch (op >> 8 & 15) {
    case 0x0:
      sp() += (op & 0x7Fu) * 4 * ((op & 0x80) != 0 ? ~0u : 1u);
      return;
    case 0x2: {
      const std::uint32_t v = r_[m];
      const std::uint32_t kinds[] = {signExtend(v & 0xFFFF, 16), signExtend(v & 0xFF, 8), v & 0xFFFF, v & 0xFF};
      r_[d] = kinds[op >> 6 & 3];
      return;
    }
    case 0x4:
    case 0x5:
      return push(op);
    case 0x6:
      if ((op & 0xFFEF) != 0xB662) throw Fault{};  // CPS, I only
      primask_ = (op & 0x10) != 0;
      return;
    case 0xA:
      return reverse(op);
    case 0xC:
    case 0xD:
      return pop(op);
    case 0xE:  // BKPT
      if (!debugEnabled_) throw Fault{};
      next_ = pc_;
      return enterDebug(1u << 1);
    case 0xF:
      return hint(op);
    default:
      throw Fault{};
  }
}

void ArmCore::reverse(std::uint16_t op) {
  const unsigned d = op & 7, m = op >> 3 & 7;
  const std::uint32_t v = r_[m];
  const auto swapped = [](std::uint32_t x) { return (x & 0x00FF00FF) << 8 | (x >> 8 & 0x00FF00FF); };
  switch (op >> 6 & 3) {
    case 0:
      r_[d] = std::rotl(swapped(v), 16);
      return;
    case 1:
      r_[d] = swapped(v);
      return;
    case 3:
      r_[d] = signExtend(swapped(v) & 0xFFFF, 16);
      return;
    default:
      throw Fault{};
  }
}

void ArmCore::hint(std::uint16_t op) {
  if ((op & 15) != 0) throw Fault{};
  switch (op >> 4 & 15) {
    case 2:  // WFE
      if (event_) {
        event_ = false;
      } else {
        asleep_ = true;
      }
      return;
    case 3:  // WFI
      asleep_ = nextException() == 0;
      return;
    case 4:  // SEV
      event_ = true;
      return;
    default:  // NOP, YIELD
      return;
  }
}

void ArmCore::branch(std::uint16_t op) {
  const unsigned condition = op >> 8 & 15;
  if (condition == 14) throw Fault{};
  if (condition == 15) {  // SVC; behind it, since it returns there
    if (priorityOf(kSvCall) >= priorityNow()) throw Fault{};
    pending_ |= 1ull << kSvCall;
    return;
  }
  if (passes(condition)) next_ = pc_ + 4 + signExtend(op & 0xFFu, 8) * 2;
}

void ArmCore::wide(std::uint16_t first) {
  const std::uint16_t second = fetch(pc_ + 2);
  next_ = pc_ + 4;
  if ((first >> 11) == 0x1E && (second & 0xD000) == 0xD000) {  // BL
    const std::uint32_t s = first >> 10 & 1, i1 = ~(second >> 13 ^ s) & 1, i2 = ~(second >> 11 ^ s) & 1;
    const std::uint32_t offset = s << 24 | i1 << 23 | i2 << 22 | (first & 0x3FFu) << 12 | (second & 0x7FFu) << 1;
    lr_ = next_ | 1;
    next_ = pc_ + 4 + signExtend(offset, 25);
    return;
  }
  if ((first & 0xFFE0) == 0xF380 && (second & 0xD000) == 0x8000) return special(first, second);
  if ((first & 0xFFF0) == 0xF3B0 && (second & 0xFF00) == 0x8F00 && (second >> 4 & 15) >= 4 && (second >> 4 & 15) <= 6)
    return;  // DSB, DMB, ISB
  if (first == 0xF3EF && (second & 0xD000) == 0x8000) return special(first, second);
  throw Fault{};
}

/// MRS and MSR.
void ArmCore::special(std::uint16_t first, std::uint16_t second) {
  const unsigned number = second & 0xFF;
  const std::uint32_t flags = static_cast<std::uint32_t>(n_) << 31 | static_cast<std::uint32_t>(z_) << 30 |
                              static_cast<std::uint32_t>(c_) << 29 | static_cast<std::uint32_t>(v_) << 28;
  if (first == 0xF3EF) {
    const unsigned d = second >> 8 & 15;
    std::uint32_t value = 0;
    if (number < 8) {
      value = ((number & 4) == 0 ? flags : 0) | ((number & 1) != 0 ? ipsr_ : 0);
    } else if (number == 8) {
      value = msp_;
    } else if (number == 9) {
      value = psp_;
    } else if (number == 16) {
      value = primask_ ? 1 : 0;
    } else if (number == 20) {
      value = control_;
    }
    return setReg(d, value);
  }
  const std::uint32_t value = reg(first & 15);
  if (number < 8 && (number & 4) == 0) {
    n_ = (value >> 31 & 1) != 0, z_ = (value >> 30 & 1) != 0, c_ = (value >> 29 & 1) != 0, v_ = (value >> 28 & 1) != 0;
  } else if (number == 8) {
    msp_ = value & ~3u;
  } else if (number == 9) {
    psp_ = value & ~3u;
  } else if (number == 16) {
    primask_ = (value & 1) != 0;
  } else if (number == 20 && ipsr_ == 0) {
    control_ = value & 3;
  }
}

}  // namespace imprimo::sim
