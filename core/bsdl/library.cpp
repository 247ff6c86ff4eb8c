// SPDX-License-Identifier: GPL-3.0-or-later
//
// The cache: a line "imprimo bsdl index 1", then one line for each file, tab-separated:
//   size, time of change (ns), instruction length, IDCODE patterns ("value/mask,..." in hex, "-" for none), entity ("-"
//   for none), absolute path
#include "core/bsdl/library.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <charconv>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/bsdl/lexer.h"

namespace imprimo::bsdl {
namespace {

constexpr std::string_view kHeader = "imprimo bsdl index 1";

std::string_view cut(std::string_view& rest, char at) {
  const std::size_t end = std::min(rest.find(at), rest.size());
  const std::string_view piece = rest.substr(0, end);
  rest.remove_prefix(std::min(end + 1, rest.size()));
  return piece;
}

template <typename Number>
bool number(std::string_view text, Number& value, int base = 10) {
  const auto [end, failure] = std::from_chars(text.data(), text.data() + text.size(), value, base);
  return failure == std::errc{} && end == text.data() + text.size();
}

bool idcodes(std::string_view text, std::vector<Pattern>& patterns) {
  if (text == "-") return true;
  while (!text.empty()) {
    std::string_view code = cut(text, ',');
    Pattern pattern;
    if (!number(cut(code, '/'), pattern.value, 16) || !number(code, pattern.mask, 16)) return false;
    patterns.push_back(pattern);
  }
  return true;
}

int significance(const Summary& summary, std::uint32_t idcode) {
  int most = -1;
  for (const Pattern& p : summary.idcodes) {
    if (!p.saysNothing() && p.matches(idcode)) most = std::max(most, std::popcount(p.mask));
  }
  return most;
}

}  // namespace

Library::Library(std::filesystem::path cacheFile) : cacheFile_(std::move(cacheFile)) {
  if (!cacheFile_.empty()) readCache();
}

void Library::readCache() {
  std::string text;
  try {
    text = readTextFile(cacheFile_, kListFile);
  } catch (const Error&) {
    return;  // there is none yet
  }
  std::string_view rest = text;
  if (cut(rest, '\n') != kHeader) return;
  while (!rest.empty()) {
    std::string_view line = cut(rest, '\n');
    Cached entry;
    const bool good = number(cut(line, '\t'), entry.size) && number(cut(line, '\t'), entry.changed) &&
                      number(cut(line, '\t'), entry.summary.instructionLength) &&
                      idcodes(cut(line, '\t'), entry.summary.idcodes);
    const std::string_view entity = cut(line, '\t');
    if (!good || line.empty()) continue;
    if (entity != "-") entry.summary.entity = entity;
    cache_.insert_or_assign(std::string(line), std::move(entry));
  }
}

void Library::keepCache() {
  if (cacheFile_.empty() || !cacheChanged_) return;
  std::string text = fmt::format("{}\n", kHeader);
  for (const auto& [path, entry] : cache_) {
    if (path.find_first_of("\t\n") != std::string::npos) continue;
    std::string codes;
    for (const Pattern& p : entry.summary.idcodes) {
      codes += fmt::format("{}{:x}/{:x}", codes.empty() ? "" : ",", p.value, p.mask);
    }
    text += fmt::format("{}\t{}\t{}\t{}\t{}\t{}\n", entry.size, entry.changed, entry.summary.instructionLength,
                        codes.empty() ? "-" : codes, entry.summary.entity.empty() ? "-" : entry.summary.entity, path);
  }
  try {
    std::error_code ignored;
    std::filesystem::create_directories(cacheFile_.parent_path(), ignored);
    writeFileAtomically(cacheFile_, text);
    cacheChanged_ = false;
  } catch (const Error&) {
    // Slower next time, nothing else.
  }
}

Summary Library::summaryOf(const std::filesystem::directory_entry& entry) {
  std::error_code ignored;
  const std::uint64_t size = entry.file_size(ignored);
  const std::int64_t changed = entry.last_write_time(ignored).time_since_epoch().count();
  const std::string key = cacheFile_.empty() ? entry.path().string() : std::filesystem::absolute(entry.path()).string();
  const auto known = cache_.find(key);
  if (known != cache_.end() && known->second.size == size && known->second.changed == changed) {
    return known->second.summary;
  }
  Summary summary = skim(readTextFile(entry.path(), kBsdlFile));
  ++skimmed_;
  cacheChanged_ = true;
  cache_.insert_or_assign(key, Cached{size, changed, summary});
  return summary;
}

std::vector<Library::Listed> Library::listed() const {
  std::vector<Listed> all;
  for (const Entry& entry : entries_) all.push_back({entry.file, entry.summary});
  return all;
}

void Library::addFolder(const std::filesystem::path& folder) {
  std::error_code failure;
  std::vector<std::filesystem::directory_entry> files;
  for (const auto& entry : std::filesystem::directory_iterator(folder, failure)) {
    const std::string extension = upperCase(entry.path().extension().string());
    if (extension == ".BSD" || extension == ".BSDL") files.push_back(entry);
  }
  if (failure) {
    throw Error(ErrorKind::BadFile, "cannot read the library folder " + folder.string() + ": " + failure.message());
  }
  std::sort(files.begin(), files.end());
  for (const auto& file : files) {
    try {
      Summary summary = summaryOf(file);
      if (summary.entity.empty()) continue;
      if (summary.instructionLength == 0) {
        description(file.path());  // says what is wrong with it
        continue;
      }
      for (const Pattern& p : summary.idcodes) {
        if (!p.saysNothing()) continue;
        warnings_.push_back(fmt::format("{}: its IDCODE_REGISTER fits every part, so no part is recognised by it",
                                        file.path().string()));
      }
      entries_.push_back({file.path(), std::move(summary)});
    } catch (const Error& e) {
      warnings_.push_back(e.full());
    }
  }
}

std::shared_ptr<const BoundaryDescription> Library::addFile(const std::filesystem::path& file) {
  auto device = std::make_shared<const BoundaryDescription>(parseFile(file));
  parsed_[file] = device;
  std::erase_if(entries_, [&](const Entry& e) { return e.file == file; });
  entries_.insert(entries_.begin(), {file, {device->entity, device->instructionLength, device->idcodes}, true});
  return device;
}

std::shared_ptr<const BoundaryDescription> Library::description(const std::filesystem::path& file) const {
  const auto known = parsed_.find(file);
  if (known != parsed_.end()) return known->second;
  std::shared_ptr<const BoundaryDescription> device;
  try {
    device = std::make_shared<const BoundaryDescription>(parseFile(file));
  } catch (const Error& e) {
    warnings_.push_back(e.full());
  }
  return parsed_[file] = device;
}

std::vector<Library::Candidate> Library::candidates(std::uint32_t idcode) const {
  std::vector<Candidate> all;
  for (const Entry& entry : entries_) {
    const int bits = significance(entry.summary, idcode);
    if (bits < 0) continue;
    Candidate candidate{entry.file, entry.summary.entity, entry.summary.instructionLength, bits};
    if (entry.chosen) return {candidate};
    all.push_back(std::move(candidate));
  }
  std::stable_sort(all.begin(), all.end(),
                   [](const Candidate& a, const Candidate& b) { return a.significantBits > b.significantBits; });
  if (all.size() < 2) return all;

  // A pattern that says more beats one that says less, and of those that work alike one is enough.
  std::vector<Candidate> left;
  for (const Candidate& candidate : all) {
    if (candidate.significantBits < all.front().significantBits) break;
    const auto device = description(candidate.file);
    if (!device) continue;
    const bool alike = std::any_of(left.begin(), left.end(),
                                   [&](const Candidate& l) { return description(l.file)->worksLike(*device); });
    if (!alike) left.push_back(candidate);
  }
  return left;
}

const BoundaryDescription* Library::find(std::uint32_t idcode) const {
  const auto fitting = candidates(idcode);
  return fitting.size() == 1 ? description(fitting.front().file).get() : nullptr;
}

std::filesystem::path Library::fileFor(std::uint32_t idcode) const {
  const auto fitting = candidates(idcode);
  return fitting.size() == 1 ? fitting.front().file : std::filesystem::path();
}

}  // namespace imprimo::bsdl
