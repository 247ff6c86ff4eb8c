// SPDX-License-Identifier: GPL-3.0-or-later
//
// The old text is cut into pieces along its values (RFC 8259); the new document is written from those pieces where it
// holds the same, and in their manner where it does not.
#include "core/base/json_layout.h"

#include <memory>
#include <optional>
#include <vector>

#include "core/base/json.h"

namespace imprimo {
namespace {

using Json = nlohmann::ordered_json;

/// A value's place in the text, with those inside it. `space` is what stands between the comma or bracket before a
/// member and the member; `name` of an object's member, with its colon, stands in front of its value.
struct Piece {
  struct Member;
  std::size_t begin = 0, end = 0;
  std::vector<Member> members;
  std::string_view closing;  // between the last member and the bracket
};
struct Piece::Member {
  std::string_view space, name;
  Piece piece;
};

/// Cuts valid JSON.
class Cutter {
 public:
  explicit Cutter(std::string_view text) : text_(text) {}

  Piece cut() {
    skip();
    return value();
  }

 private:
  static bool isSpace(char c) { return c == ' ' || c == '\t' || c == '\n' || c == '\r'; }

  std::string_view skip() {
    const std::size_t begin = at_;
    // The mark of UTF-8 may stand before everything.
    if (at_ == 0 && text_.starts_with("\xEF\xBB\xBF")) at_ = 3;
    while (at_ < text_.size() && isSpace(text_[at_])) ++at_;
    return text_.substr(begin, at_ - begin);
  }

  void skipString() {
    for (++at_; text_[at_] != '"'; ++at_) {
      if (text_[at_] == '\\') ++at_;
    }
    ++at_;
  }

  Piece value() {
    Piece piece;
    piece.begin = at_;
    const char first = text_[at_];
    if (first == '{' || first == '[') {
      inside(piece, first == '{');
    } else if (first == '"') {
      skipString();
    } else {
      while (at_ < text_.size() && !isSpace(text_[at_]) &&
             std::string_view(",]}").find(text_[at_]) == std::string::npos)
        ++at_;
    }
    piece.end = at_;
    return piece;
  }

  void inside(Piece& piece, bool object) {
    for (++at_;;) {
      const std::string_view space = skip();
      if (text_[at_] == '}' || text_[at_] == ']') {
        piece.closing = space;
        ++at_;
        return;
      }
      Piece::Member member{space, {}, {}};
      if (object) {
        const std::size_t begin = at_;
        skipString();
        skip();
        ++at_;  // the colon
        skip();
        member.name = text_.substr(begin, at_ - begin);
      }
      member.piece = value();
      piece.members.push_back(std::move(member));
      const std::string_view behind = skip();
      if (text_[at_] == ',') {
        ++at_;
        continue;
      }
      piece.closing = behind;
      ++at_;
      return;
    }
  }

  std::string_view text_;
  std::size_t at_ = 0;
};

class Writer {
 public:
  explicit Writer(std::string_view text)
      : text_(text), newline_(text.find("\r\n") != std::string::npos ? "\r\n" : "\n") {}

  std::string write(const Piece& root, const Json& was, const Json& now) {
    step_ = stepOf(root);
    return std::string(text_.substr(0, root.begin)) + changed(root, was, now) + std::string(text_.substr(root.end));
  }

 private:
  static bool isBroken(std::string_view space) { return space.find('\n') != std::string::npos; }

  /// One level of indentation; two spaces where the text shows none.
  static std::string stepOf(const Piece& root) {
    if (root.members.empty() || !isBroken(root.members.front().space)) return "  ";
    const std::string_view space = root.members.front().space;
    const std::string_view step = space.substr(space.rfind('\n') + 1);
    return step.empty() ? "  " : std::string(step);
  }

  std::string_view textOf(const Piece& piece) const { return text_.substr(piece.begin, piece.end - piece.begin); }

  /// The spaces and tabs that the line of a place begins with.
  std::string indentAt(std::size_t place) const {
    const std::size_t line = place == 0 ? std::string_view::npos : text_.rfind('\n', place - 1);
    const std::size_t begin = line == std::string_view::npos ? 0 : line + 1;
    std::size_t end = begin;
    while (end < text_.size() && (text_[end] == ' ' || text_[end] == '\t')) ++end;
    return std::string(text_.substr(begin, end - begin));
  }

  std::string changed(const Piece& piece, const Json& was, const Json& now) {
    if (was == now) return std::string(textOf(piece));
    if (was.is_object() && now.is_object()) return object(piece, was, now);
    if (was.is_array() && now.is_array()) return array(piece, was, now);
    return fresh(now, indentAt(piece.begin), now.size() > 3);
  }

  /// What stands between members of a list: before the first, before the others, and at the end.
  struct Spacing {
    std::string first, others, closing;
    std::string indent;   // of the lines that its members begin
    bool broken = false;  // members stand in lines of their own
  };

  Spacing spacingOf(const Piece& piece, bool longOnes) const {
    Spacing spacing;
    const std::string around = indentAt(piece.begin);
    if (piece.members.empty()) {
      spacing.broken = longOnes;
      spacing.indent = around + step_;
      spacing.first = spacing.others = longOnes ? newline_ + spacing.indent : std::string();
      if (!longOnes) spacing.others = " ";
      spacing.closing = longOnes ? newline_ + around : std::string();
      return spacing;
    }
    const std::string_view first = piece.members.front().space;
    spacing.first = first;
    spacing.others = piece.members.size() > 1 ? std::string(piece.members[1].space)
                     : isBroken(first)        ? std::string(first)
                                              : std::string(" ");
    spacing.closing = piece.closing;
    spacing.broken = isBroken(spacing.others);
    spacing.indent = spacing.broken ? spacing.others.substr(spacing.others.rfind('\n') + 1) : around;
    return spacing;
  }

  std::string object(const Piece& piece, const Json& was, const Json& now) {
    const Spacing spacing = spacingOf(piece, true);
    std::string out = "{";
    bool first = true;
    std::size_t members = 0;
    for (const auto& [key, value] : now.items()) {
      const auto known = memberOf(piece, was, key);
      if (!first) out += ',';
      const bool wasFirst = known && *known == 0;
      if (known && wasFirst == first) {
        out += piece.members[*known].space;
      } else {
        out += first ? spacing.first : spacing.others;
      }
      if (known) {
        out += piece.members[*known].name;
        out += changed(piece.members[*known].piece, was[key], value);
      } else {
        out += Json(key).dump() + ": " + fresh(value, spacing.indent, spacing.broken && isList(value));
      }
      first = false;
      ++members;
    }
    return out + (members == 0 ? "" : spacing.closing) + "}";
  }

  static bool isList(const Json& value) { return value.is_array() && !value.empty() && value.front().is_structured(); }

  static std::optional<std::size_t> memberOf(const Piece& piece, const Json& was, const std::string& key) {
    std::size_t index = 0;
    for (const auto& item : was.items()) {
      if (item.key() == key) return index < piece.members.size() ? std::optional(index) : std::nullopt;
      ++index;
    }
    return std::nullopt;
  }

  /// Elements that are equal are the same, in whatever order; of the others, those at the same place between them.
  static std::vector<std::optional<std::size_t>> pair(const Json& was, const Json& now) {
    std::vector<std::optional<std::size_t>> from(now.size());
    std::vector<bool> used(was.size(), false);
    for (std::size_t i = 0; i < now.size(); ++i) {
      for (std::size_t pass = 0; pass < 2 && !from[i]; ++pass) {
        // Those after it first, so that equal ones keep their order.
        const std::size_t begin = pass == 0 ? std::min(i, was.size()) : 0, end = pass == 0 ? was.size() : i;
        for (std::size_t k = begin; k < std::min(end, was.size()) && !from[i]; ++k) {
          if (!used[k] && was[k] == now[i]) {
            from[i] = k;
            used[k] = true;
          }
        }
      }
    }
    std::size_t free = 0;
    for (std::size_t i = 0; i < now.size(); ++i) {
      if (from[i]) continue;
      while (free < was.size() && used[free]) ++free;
      // One that was put in is no changed other.
      if (free == was.size() || now.size() > was.size()) continue;
      from[i] = free;
      used[free] = true;
    }
    return from;
  }

  std::string array(const Piece& piece, const Json& was, const Json& now) {
    const bool longOnes = !now.empty() && now.front().is_structured();
    const Spacing spacing = spacingOf(piece, longOnes);
    const std::vector<std::optional<std::size_t>> from = pair(was, now);
    // New entries stand in one line where those beside them do.
    const bool broken = !piece.members.empty() && isBroken(textOf(piece.members.front().piece));
    std::string out = "[";
    for (std::size_t i = 0; i < now.size(); ++i) {
      if (i > 0) out += ',';
      const bool same = from[i] && (*from[i] == 0) == (i == 0);
      out += same ? std::string(piece.members[*from[i]].space) : i == 0 ? spacing.first : spacing.others;
      out += from[i] ? changed(piece.members[*from[i]].piece, was[*from[i]], now[i])
                     : fresh(now[i], spacing.indent, broken);
    }
    return out + (now.empty() ? "" : spacing.closing) + "]";
  }

  /// A value that was not there: over several lines, or in one.
  std::string fresh(const Json& value, const std::string& indent, bool broken) const {
    if (!value.is_structured() || value.empty()) return value.dump();
    const std::string inner = broken ? newline_ + indent + step_ : std::string();
    std::string out;
    const bool object = value.is_object();
    for (const auto& [key, member] : value.items()) {
      if (!out.empty()) out += broken ? "," : ", ";
      out += inner;
      if (object) out += Json(key).dump() + ": ";
      out += fresh(member, indent + step_, false);
    }
    const std::string closing = broken ? newline_ + indent : std::string();
    return (object ? "{" : "[") + out + closing + (object ? "}" : "]");
  }

  std::string_view text_;
  std::string newline_, step_;
};

}  // namespace

std::string inLayoutOf(std::string_view text, const Json& now) {
  const Json was = Json::parse(text);
  if (was == now) return std::string(text);
  return Writer(text).write(Cutter(text).cut(), was, now);
}

}  // namespace imprimo
