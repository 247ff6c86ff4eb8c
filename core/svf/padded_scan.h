// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/jtag/scan_batch.h"
#include "core/svf/statement.h"

namespace imprimo::svf {

/// Header, own bits and trailer of one scan as one run of bits, put together piece by piece.
class PaddedScan {
 public:
  PaddedScan(const FieldValue& header, const FieldValue& own, const FieldValue& trailer)
      : fields_{&header, &own, &trailer} {}

  std::size_t size() const { return fields_[0]->length + fields_[1]->length + fields_[2]->length; }
  std::size_t headerBits() const { return fields_[0]->length; }
  std::size_t ownBits() const { return fields_[1]->length; }
  /// Whether any bit is compared, as far as that can be told without looking at masks.
  bool hasTdo() const { return fields_[0]->tdo || fields_[1]->tdo || fields_[2]->tdo; }

  BitVector tdi(jtag::BitRange range) const;
  /// Zeros where nothing is compared.
  BitVector tdo(jtag::BitRange range) const;
  BitVector mask(jtag::BitRange range) const;

 private:
  template <typename Append>
  BitVector gather(jtag::BitRange range, Append&& append) const;
  const FieldValue* fields_[3];
};

/// From the first to the last 1; empty where there is none.
jtag::BitRange extentOf(const BitVector& mask);
std::size_t onesIn(const BitVector& bits);

}  // namespace imprimo::svf
