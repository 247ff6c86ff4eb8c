// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bsdl/skim.h"

#include <algorithm>
#include <array>

#include "core/bsdl/cursor.h"

namespace imprimo::bsdl {
namespace {

constexpr std::array<bool, 256> wordCharacters() {
  std::array<bool, 256> table{};
  for (int c = 0; c < 256; ++c) {
    table[static_cast<std::size_t>(c)] =
        (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_';
  }
  return table;
}
constexpr auto kWord = wordCharacters();

/// Walks over a text word by word, past comments and strings.
class Skimmer {
 public:
  explicit Skimmer(std::string_view text) : text_(text) {}

  /// The next word or, with `stop`, nothing once that character came by.
  std::string_view word(char stop = '\0') {
    while (at_ < text_.size()) {
      const char c = text_[at_];
      if (kWord[static_cast<unsigned char>(c)]) {
        const std::size_t begin = at_;
        while (at_ < text_.size() && kWord[static_cast<unsigned char>(text_[at_])]) ++at_;
        return text_.substr(begin, at_ - begin);
      }
      ++at_;
      if (c == stop && stop != '\0') return {};
      if (c == '"') {
        at_ = std::min(text_.find_first_of("\"\n", at_), text_.size());
        if (at_ < text_.size()) ++at_;
      } else if (c == '-' && at_ < text_.size() && text_[at_] == '-') {
        at_ = std::min(text_.find('\n', at_), text_.size());
      }
    }
    return {};
  }

  /// All strings up to the semicolon, joined.
  std::string strings() {
    std::string joined;
    while (at_ < text_.size() && text_[at_] != ';') {
      if (text_[at_] == '"') {
        const std::size_t end = std::min(text_.find_first_of("\"\n", at_ + 1), text_.size());
        joined += text_.substr(at_ + 1, end - at_ - 1);
        at_ = end;
      } else if (text_[at_] == '-' && at_ + 1 < text_.size() && text_[at_ + 1] == '-') {
        at_ = std::min(text_.find('\n', at_), text_.size());
        continue;
      }
      if (at_ < text_.size()) ++at_;
    }
    return joined;
  }

  bool atEnd() const { return at_ >= text_.size(); }

 private:
  std::string_view text_;
  std::size_t at_ = 0;
};

std::vector<Pattern> codes(const std::string& joined) {
  std::vector<Pattern> result;
  Pattern code;
  int bits = 0;
  const auto end = [&] {
    if (bits == 32) result.push_back(code);
    code = {};
    bits = 0;
  };
  for (const char c : joined) {
    if (c == ',') {
      end();
    } else if (c == '0' || c == '1' || c == 'X' || c == 'x') {
      code.value = code.value << 1 | (c == '1');
      code.mask = code.mask << 1 | (c != 'X' && c != 'x');
      ++bits;
    }
  }
  end();
  return result;
}

}  // namespace

Summary skim(std::string_view text) {
  Summary summary;
  Skimmer skimmer(text);
  while (!skimmer.atEnd()) {
    const std::string_view word = skimmer.word();
    if (summary.entity.empty()) {
      if (sameWord(word, "entity")) summary.entity = skimmer.word();
      continue;
    }
    if (!sameWord(word, "attribute")) continue;
    const std::string_view name = skimmer.word();
    if (sameWord(name, "INSTRUCTION_LENGTH")) {
      std::string_view last;
      for (std::string_view w = skimmer.word(';'); !w.empty(); w = skimmer.word(';')) last = w;
      summary.instructionLength = wholeNumber(last).value_or(0);
    } else if (sameWord(name, "IDCODE_REGISTER")) {
      summary.idcodes = codes(skimmer.strings());
    }
    if (summary.instructionLength != 0 && !summary.idcodes.empty()) break;
  }
  return summary;
}

}  // namespace imprimo::bsdl
