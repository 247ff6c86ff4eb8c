// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/svf/fit.h"
#include "core/vectors/bridge_decoder.h"

namespace imprimo::vectors {

/// Says in words what statements do, one after the other as a reader comes by them.
class VectorWords {
 public:
  VectorWords(svf::ChainView chain, BridgeDecoder decoder) : chain_(std::move(chain)), decoder_(std::move(decoder)) {}

  /// `reader` has just read it. Short; empty where the statement says it itself.
  std::string words(const svf::Statement& statement, const svf::Reader& reader);

 private:
  std::string instructionWords(const svf::Reader& reader);
  std::string dataWords(const svf::Reader& reader);

  svf::ChainView chain_;
  BridgeDecoder decoder_;
};

}  // namespace imprimo::vectors
