// SPDX-License-Identifier: GPL-3.0-or-later
#include "report/scrubbed.h"

#include <pwd.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <cstdlib>

namespace imprimo::report {
namespace {

bool isWordCharacter(char c) {
  return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_' || c == '-';
}

/// Puts `with` in the place of each `what` that is a word, or with `anywhere` of each at all.
void replaceAll(std::string& text, const std::string& what, const std::string& with, bool anywhere) {
  if (what.empty()) return;
  for (std::size_t at = text.find(what); at != std::string::npos; at = text.find(what, at)) {
    const std::size_t end = at + what.size();
    const bool isWord =
        (at == 0 || !isWordCharacter(text[at - 1])) && (end == text.size() || !isWordCharacter(text[end]));
    if (!anywhere && !isWord) {
      at = end;
      continue;
    }
    text.replace(at, what.size(), with);
    at += with.size();
  }
}

/// Paths and names have letters only, or words between strokes; a key has letters and digits mixed, and no strokes.
bool looksSecret(const std::string& word) {
  constexpr std::size_t kShortest = 24;
  if (word.size() < kShortest) return false;
  const auto count = [&](auto is) { return std::count_if(word.begin(), word.end(), is); };
  const auto digits = count([](unsigned char c) { return std::isdigit(c) != 0; });
  const auto letters = count([](unsigned char c) { return std::isalpha(c) != 0; });
  return digits >= 3 && letters >= 3;
}

}  // namespace

std::string scrubbed(const std::string& text, const std::string& home, const std::string& user,
                     const std::string& computer) {
  std::string rest = text;
  if (home.size() > 1) replaceAll(rest, home, "~", true);
  // Short names are words of any text.
  constexpr std::size_t kShortName = 3;
  if (user.size() >= kShortName) replaceAll(rest, user, "(user)", false);
  if (computer.size() >= kShortName) replaceAll(rest, computer, "(computer)", false);
  std::string out, word;
  const auto end = [&] {
    const bool isSum = out.ends_with("sha256 ") || out.ends_with("sha256: ");
    out += looksSecret(word) && !isSum ? "(left out)" : word;
    word.clear();
  };
  for (const char c : rest) {
    if (std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '+' || c == '=') {
      word += c;
    } else {
      end();
      out += c;
    }
  }
  end();
  return out;
}

std::string scrubbed(const std::string& text) {
  const char* home = std::getenv("HOME");
  const passwd* who = getpwuid(getuid());
  std::array<char, 256> computer{};
  gethostname(computer.data(), computer.size() - 1);
  return scrubbed(text, home != nullptr ? home : "", who != nullptr ? who->pw_name : "", computer.data());
}

}  // namespace imprimo::report
