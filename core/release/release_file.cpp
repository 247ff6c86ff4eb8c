// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/release/release_file.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/base/utc.h"
#include "core/base/version.h"
#include "core/image/checksum.h"
#include "core/store/pack_sheet.h"

namespace imprimo::release {
namespace {

using Json = nlohmann::ordered_json;

constexpr std::string_view kFirstLine = "imprimo release 1\n";
constexpr std::string_view kAnyVersion = "imprimo release ";
constexpr FileKind kReleaseFile{"a release", 1024 * kMiB};
constexpr std::size_t kLongestHead = 512;

ByteSpan bytesOf(std::string_view text) {
  return {reinterpret_cast<const std::uint8_t*>(text.data()), text.size()};
}

std::string sha256Of(ByteSpan bytes) {
  return lowerDigits(checksumOf({ChecksumKind::Sha256}, bytes));
}

/// What is signed: no signature of ours is ever one of something else.
std::string signedText(std::string_view manifest) {
  return std::string(kFirstLine) + std::string(manifest);
}

std::string headOf(const PublicKey& key, std::size_t manifest, const std::array<std::uint8_t, 64>& signature) {
  return Json{{"manifest", manifest}, {"key", key.digits()}, {"signature", lowerDigits(signature)}}.dump() + "\n";
}

struct Head {
  PublicKey key;
  std::array<std::uint8_t, 64> signature{};
  std::size_t manifest = 0;
};

Head parseHead(std::string_view line, const std::string& name) {
  const auto bad = [&] { return Error(ErrorKind::BadFile, name + ": its second line is not as it was written"); };
  const Json json = Json::parse(line, nullptr, false);
  if (!json.is_object() || !json.contains("manifest") || !json["manifest"].is_number_unsigned() ||
      !json.contains("key") || !json["key"].is_string() || !json.contains("signature") ||
      !json["signature"].is_string())
    throw bad();
  Head head;
  head.manifest = json["manifest"].get<std::size_t>();
  if (!fromDigits(json["key"].get<std::string>(), head.key.bytes) ||
      !fromDigits(json["signature"].get<std::string>(), head.signature) ||
      headOf(head.key, head.manifest, head.signature) != line)  // there is only one way to write it
    throw bad();
  return head;
}

}  // namespace

const Bytes& Release::part(const std::string& name) const {
  for (std::size_t i = 0; i < manifest.parts.size(); ++i) {
    if (manifest.parts[i].name == name) return contents.at(i);
  }
  throw Error(ErrorKind::Internal, name + " is no part of the release");
}

Release freeze(const sheet::Sheet& sheet, std::uint64_t number, const LineRules& line) {
  const store::PackedSheet packed = store::packSheet(sheet);
  for (const std::string& left : packed.leftOut) {
    // What keys are derived from belongs to the stations, each has it in its own folder.
    if (!left.ends_with("a secret goes to no other place by itself"))
      throw Error(ErrorKind::BadFile, left, "A release has all that its sheet names.");
  }
  Release release;
  Manifest& manifest = release.manifest;
  manifest.number = number;
  manifest.title = sheet.title;
  manifest.made = utcNow();
  manifest.software = versionText();
  manifest.sheet = packed.sheetName;
  manifest.line = line;
  const auto add = [&](const std::string& name, Bytes bytes) {
    manifest.parts.push_back({name, bytes.size(), sha256Of(bytes)});
    release.contents.push_back(std::move(bytes));
  };
  add(packed.sheetName, Bytes(packed.sheetText.begin(), packed.sheetText.end()));
  for (const store::PackedSheet::File& file : packed.files) add(file.name, readFile(file.from));
  release.id = sha256Of(bytesOf(manifestText(manifest)));
  return release;
}

void writeRelease(const Release& release, const SigningKey& key, const std::filesystem::path& to) {
  const std::string manifest = manifestText(release.manifest);
  const auto signature = key.sign(bytesOf(signedText(manifest)));
  AtomicFile file(to);
  file.write(kFirstLine);
  file.write(headOf(key.publicKey(), manifest.size(), signature));
  file.write(manifest);
  for (const Bytes& bytes : release.contents) file.write(ByteSpan(bytes));
  file.commit();
}

Release readRelease(const std::filesystem::path& file, const TrustedKeys& trusted, Trust trust) {
  const Bytes bytes = readFile(file, kReleaseFile);
  return parseRelease(bytes, file.string(), trust == Trust::Trusted ? trusted.all() : std::vector<PublicKey>(), trust);
}

Release parseRelease(ByteSpan bytes, const std::string& name, const std::vector<PublicKey>& trusted, Trust trust) {
  const std::string_view text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
  if (!text.starts_with(kFirstLine)) {
    if (text.starts_with(kAnyVersion) && text.substr(0, kFirstLine.size()).find('\n') != std::string_view::npos)
      throw Error(ErrorKind::BadFile, name + " is a release of a newer Imprimo, or was changed",
                  "This one reads releases of version 1.");
    throw Error(ErrorKind::BadFile, name + " is no release");
  }
  const std::size_t end =
      text.substr(0, std::min(text.size(), kFirstLine.size() + kLongestHead)).find('\n', kFirstLine.size());
  if (end == std::string_view::npos)
    throw Error(ErrorKind::BadFile, name + ": its second line is not as it was written");
  const Head head = parseHead(text.substr(kFirstLine.size(), end + 1 - kFirstLine.size()), name);
  const std::size_t begin = end + 1;
  if (head.manifest > text.size() - begin) throw Error(ErrorKind::BadFile, name + " ends in its list of parts");
  const std::string_view manifestPart = text.substr(begin, head.manifest);
  const auto known = std::find(trusted.begin(), trusted.end(), head.key);
  if (trust == Trust::Trusted && known == trusted.end()) {
    throw Error(ErrorKind::Refused,
                fmt::format("{} is signed with a key that this station does not trust: {}", name,
                            head.key.digits().substr(0, 16)),
                "Get the public key from who made the release, and trust it with imprimoctl keys trust FILE.");
  }
  if (!isSigned(head.key, bytesOf(signedText(manifestPart)), head.signature))
    throw Error(ErrorKind::BadFile, name + ": its list of parts is not the one that was signed");

  Release release;
  release.manifest = parseManifest(manifestPart, name);
  release.id = sha256Of(bytesOf(manifestPart));
  release.signer = known == trusted.end() ? head.key : *known;
  std::size_t at = begin + head.manifest;
  for (const Manifest::Part& part : release.manifest.parts) {
    if (part.bytes > bytes.size() - at)
      throw Error(ErrorKind::BadFile, fmt::format("{} ends in its part {}", name, part.name));
    const ByteSpan content = bytes.subspan(at, part.bytes);
    if (sha256Of(content) != part.sha256)
      throw Error(ErrorKind::BadFile, fmt::format("{}: its part {} is not what was signed", name, part.name));
    release.contents.emplace_back(content.begin(), content.end());
    at += part.bytes;
  }
  if (at != bytes.size())
    throw Error(ErrorKind::BadFile,
                fmt::format("{}: {} follow its last part", name, countText(bytes.size() - at, "byte")));
  return release;
}

}  // namespace imprimo::release
