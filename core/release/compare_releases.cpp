// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "core/release/release_file.h"
#include "core/sheet/sheet_differences.h"

namespace imprimo::release {
namespace {

std::string startText(const LineRules& line) {
  return line.startsByItself ? "by itself" : "at a key";
}

std::string unitsText(const LineRules& line) {
  return line.units ? countText(*line.units, "unit") : "no limit";
}

std::string quoted(const std::string& text) {
  return text.empty() ? "nothing" : "\"" + text + "\"";
}

std::string_view textOf(const Bytes& bytes) {
  return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

}  // namespace

std::vector<std::string> differencesOf(const Release& one, const Release& other) {
  std::vector<std::string> lines;
  const auto compare = [&](const char* what, const std::string& a, const std::string& b) {
    if (a != b) lines.push_back(fmt::format("{}: {}, then {}", what, a, b));
  };
  const Manifest &a = one.manifest, &b = other.manifest;
  compare("number", std::to_string(a.number), std::to_string(b.number));
  compare("title", quoted(a.title), quoted(b.title));
  compare("made by", a.software, b.software);
  compare("signed with", one.signer.digits().substr(0, 16), other.signer.digits().substr(0, 16));
  compare("a run starts", startText(a.line), startText(b.line));
  compare("operators sign on", a.line.signOn ? "yes" : "no", b.line.signOn ? "yes" : "no");
  compare("limit", unitsText(a.line), unitsText(b.line));
  compare("after a good one", quoted(a.line.afterGood), quoted(b.line.afterGood));
  compare("after a failed one", quoted(a.line.afterFailed), quoted(b.line.afterFailed));
  const auto find = [](const Manifest& in, const std::string& name) {
    return std::find_if(in.parts.begin(), in.parts.end(), [&](const auto& part) { return part.name == name; });
  };
  for (const Manifest::Part& part : a.parts) {
    const auto there = find(b, part.name);
    if (there == b.parts.end()) {
      if (part.name != a.sheet || a.sheet == b.sheet) lines.push_back(part.name + " is no longer in it");
    } else if (part.name != a.sheet && there->sha256 != part.sha256) {
      lines.push_back(
          fmt::format("{}: other bytes ({}, then {})", part.name, sizeText(part.bytes), sizeText(there->bytes)));
    }
  }
  for (const Manifest::Part& part : b.parts) {
    if (find(a, part.name) == a.parts.end() && part.name != b.sheet)
      lines.push_back(fmt::format("{} ({}) is new in it", part.name, sizeText(part.bytes)));
  }
  for (const std::string& line :
       sheet::differences(textOf(one.part(a.sheet)), textOf(other.part(b.sheet)), {"before", "now"}))
    lines.push_back("sheet: " + line);
  return lines;
}

}  // namespace imprimo::release
