// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/error.h"
#include "core/svf/statement.h"

namespace imprimo::svf {

/// Gives the next bytes of a file, as many as there is room for; fewer, or none, only at its end.
using Source = std::function<std::size_t(std::span<std::uint8_t> into)>;
/// A text that stays where it is.
Source sourceOf(std::string_view text);

/// From "!" or "//" to the end of the line; without these and the blanks around it.
struct Comment {
  Place place;
  std::string text;  ///< at most 400 characters
};

/// The letters of a file, with a window of fixed size over it. A byte order mark in front and 0x1A at the end are
/// passed over with a remark.
class Lexer {
 public:
  Lexer(Source source, std::string fileName);

  /// Past blanks, line ends and comments.
  void skip();
  bool atEnd();
  Place place() const { return {windowAt_ + at_, line_, windowAt_ + at_ - lineAt_ + 1}; }
  /// The next character, 0 at the end.
  char peek();
  void take() { ++at_; }
  /// Letters, digits and what else names and numbers are made of, in upper case; empty where there are none.
  std::string word();
  /// Hands over what comes, beginning behind blanks and comments: `each` takes what it can use of it and returns how
  /// much that was; 0 ends it.
  void digits(const std::function<std::size_t(std::string_view)>& each);

  const Comment& lastComment() const { return comment_; }
  void onComment(std::function<void(const Comment&)> told) { told_ = std::move(told); }

  /// BadFile: "FILE:LINE:COLUMN: sentence".
  Error error(const Place& place, const std::string& sentence, const std::string& remedy = {}) const;
  const std::string& fileName() const { return fileName_; }

  /// Something odd that does no harm.
  struct Remark {
    Place place;
    std::string text;
  };
  const std::vector<Remark>& remarks() const { return remarks_; }
  /// Each text once.
  void remark(const Place& place, std::string text);

 private:
  bool refill();
  void newLine() { ++line_, lineAt_ = windowAt_ + at_; }
  void comment();
  void skipBlanks();
  void passOrderMark();

  Source source_;
  std::string fileName_;
  std::vector<char> window_;
  std::size_t at_ = 0, end_ = 0;
  std::uint64_t windowAt_ = 0, line_ = 1, lineAt_ = 0;
  bool begun_ = false;
  std::optional<Place> endMark_;  ///< of a 0x1A, behind which nothing may stand
  std::vector<Remark> remarks_;
  Comment comment_;
  std::function<void(const Comment&)> told_;
};

}  // namespace imprimo::svf
