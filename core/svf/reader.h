// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <filesystem>
#include <memory>

#include "core/svf/lexer.h"

namespace imprimo::svf {

/// Reads a file statement by statement: Serial Vector Format, revision E (8 March 1999). Holds the fields of the scans
/// it is at and a window over the file, nothing else; so it needs half a byte for each bit of the longest scan.
class Reader {
 public:
  /// Scans longer than this are refused.
  static constexpr std::size_t kLongestScan = std::size_t{1} << 30;

  Reader(Source source, std::string fileName, std::size_t longestScan = kLongestScan);
  /// Throws BadFile.
  static std::unique_ptr<Reader> open(const std::filesystem::path& path);

  /// The next one; false at the file's end. Throws BadFile: "FILE:LINE:COLUMN: sentence".
  bool next(Statement& statement);
  /// A field as the statements up to now left it.
  const FieldValue& value(Field field) const { return values_[static_cast<std::size_t>(field)]; }
  /// The last comment passed.
  const Comment& lastComment() const { return lexer_.lastComment(); }
  void onComment(std::function<void(const Comment&)> told) { lexer_.onComment(std::move(told)); }
  /// Where reading stands.
  Place place() const { return lexer_.place(); }
  /// An error of this file at `place`.
  Error error(const Place& place, const std::string& sentence, const std::string& remedy = {}) const {
    return lexer_.error(place, sentence, remedy);
  }
  const std::string& fileName() const { return lexer_.fileName(); }
  /// What was odd up to now and does no harm.
  const std::vector<Lexer::Remark>& remarks() const { return lexer_.remarks(); }

 private:
  void scan(Statement& s, Field field);
  void readField(FieldValue& value, Field field);
  BitVector bits(std::size_t length, const std::string& what);
  void endState(Statement& s, const std::string& command);
  void frequency(Statement& s);
  void runTest(Statement& s);
  void state(Statement& s);
  void trst(Statement& s);
  void pio(Statement& s);
  void pioMap(Statement& s);

  std::string nextWord(const char* what);
  std::string optionalWord();
  std::uint64_t count(const std::string& text, const Place& at, const char* what) const;
  double real(const std::string& text, const Place& at, const char* what) const;
  jtag::TapState stableState(const std::string& word, const Place& at) const;
  void open(const char* what);
  void semicolon(const Statement& s, const std::string& command);
  [[noreturn]] void cut(const Place& begun, const std::string& what);

  Lexer lexer_;
  std::size_t longestScan_;
  std::array<FieldValue, kFields> values_;
  std::array<bool, kFields> given_{};  // whether the field was ever given
  jtag::TapState runState_ = jtag::TapState::RunTestIdle, endOfRun_ = jtag::TapState::RunTestIdle;
  std::size_t mapped_ = 0;  // pins of the last PIOMAP
  Place word_;              // where the last word began
};

}  // namespace imprimo::svf
