// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/flash/cfi.h"
#include "core/memory/identity.h"

namespace imprimo::flash {

/// What a parallel flash knows of itself beside an Identity.
class ParallelNorDetails : public memory::Details {
 public:
  ParallelNorDetails(Cfi cfi, unsigned dataBits) : cfi_(std::move(cfi)), dataBits_(dataBits) {}
  std::string card(const std::string&, bool) const override { return {}; }
  nlohmann::ordered_json json(const memory::Identity& identity, bool tables) const override;
  std::string text(const std::string& name, const memory::Identity& identity, bool tables) const override;

 private:
  Cfi cfi_;
  unsigned dataBits_;
};

}  // namespace imprimo::flash
