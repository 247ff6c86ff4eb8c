// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/vectors/bridge_decoder.h"
#include "core/vectors/play.h"

namespace imprimo::vectors {

/// What a mismatch means; `reader` stands at its scan. `chain` is as it is behind a reset, `decoder` as the file's part
/// in front left it.
MismatchStory storyOf(const svf::Mismatch& mismatch, const svf::Reader& reader, svf::ChainView chain,
                      BridgeDecoder decoder);

/// A decoder that has seen a file up to the statement at `until`.
BridgeDecoder decoderAt(const std::filesystem::path& file, std::uint64_t until);

/// Whether a file, up to the statement at `until`, sends anything that may change what is on the chain: a data scan of
/// another register than BYPASS and IDCODE that is not one of our frames, or one that erases or programs.
bool changesBefore(const PlayWish& wish, svf::ChainView chain, std::uint64_t until);

}  // namespace imprimo::vectors
