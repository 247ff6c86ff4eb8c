// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <vector>

#include "core/base/bytes.h"
#include "core/release/keys.h"
#include "core/release/manifest.h"
#include "core/sheet/sheet.h"

namespace imprimo::release {

/// A sheet with all that it uses, frozen and signed (docs/formats/release.md).
struct Release {
  Manifest manifest;
  std::string id;               ///< SHA-256 of the manifest, 64 small digits: what it is known by
  PublicKey signer;             ///< as this station names it
  std::vector<Bytes> contents;  ///< of the manifest's parts, in their order

  /// Throws Internal for a name that is no part.
  const Bytes& part(const std::string& name) const;
};

/// Freezes a sheet. Throws BadFile where a file that it names is not there, Refused for what cannot go along.
Release freeze(const sheet::Sheet& sheet, std::uint64_t number, const LineRules& line);
/// Signs it and stores it. Throws CannotWrite.
void writeRelease(const Release& release, const SigningKey& key, const std::filesystem::path& to);

/// Whose signature is good enough.
enum class Trust { Trusted, Anyone };
/// Reads it and looks at every byte. Throws BadFile with what is not as it was signed, Refused where nobody whom this
/// station trusts signed it.
Release readRelease(const std::filesystem::path& file, const TrustedKeys& trusted, Trust trust = Trust::Trusted);
/// The same of its bytes.
Release parseRelease(ByteSpan bytes, const std::string& name, const std::vector<PublicKey>& trusted, Trust trust);

/// Its files in a folder of their own under `folder`, each as it was signed; what stood there otherwise is put right.
/// Returns the sheet's path. Throws CannotWrite.
std::filesystem::path unpack(const Release& release, const std::filesystem::path& folder);
/// The sheet as it is read from there; what it derives keys from is looked for in `secrets`. Throws BadFile where that
/// is not there.
sheet::Sheet sheetOf(const Release& release, const std::filesystem::path& folder, const std::filesystem::path& secrets);
/// Throws BadFile naming the first file there that is not as it was signed.
void requireUnchanged(const Release& release, const std::filesystem::path& folder);

/// Where a station has its releases unpacked, and what keys are derived from.
std::filesystem::path releasesFolder();
std::filesystem::path secretsFolder();

/// What differs between two, in sentences; empty where nothing does.
std::vector<std::string> differencesOf(const Release& one, const Release& other);

}  // namespace imprimo::release
