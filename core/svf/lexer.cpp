// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/svf/lexer.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

namespace imprimo::svf {
namespace {

constexpr std::size_t kWindow = 256 * 1024;
constexpr std::size_t kMostOfComment = 400, kMostOfWord = 256;

bool isBlank(char c) {
  return c == ' ' || c == '\t' || c == '\r' || c == '\n' || c == '\f' || c == '\v';
}
bool isOfWord(char c) {
  return (c >= '0' && c <= '9') || (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z') || c == '_' || c == '.' ||
         c == '+' || c == '-';
}

}  // namespace

Source sourceOf(std::string_view text) {
  return [text](std::span<std::uint8_t> into) mutable {
    const std::size_t count = std::min(into.size(), text.size());
    if (count > 0) std::memcpy(into.data(), text.data(), count);
    text.remove_prefix(count);
    return count;
  };
}

Lexer::Lexer(Source source, std::string fileName)
    : source_(std::move(source)), fileName_(std::move(fileName)), window_(kWindow) {}

bool Lexer::refill() {
  windowAt_ += end_;
  at_ = 0;
  end_ = source_(std::span(reinterpret_cast<std::uint8_t*>(window_.data()), window_.size()));
  return end_ > 0;
}

char Lexer::peek() {
  if (at_ == end_ && !refill()) return 0;
  return window_[at_];
}

bool Lexer::atEnd() {
  return at_ == end_ && !refill();
}

void Lexer::remark(const Place& place, std::string text) {
  const auto same = [&](const Remark& r) { return r.text == text; };
  if (std::none_of(remarks_.begin(), remarks_.end(), same)) remarks_.push_back({place, std::move(text)});
}

void Lexer::passOrderMark() {
  begun_ = true;
  constexpr std::string_view kOrderMark = "\xEF\xBB\xBF";
  if (atEnd() || !std::string_view(window_.data() + at_, end_ - at_).starts_with(kOrderMark)) return;
  remark(place(), "a byte order mark was passed over");
  at_ += kOrderMark.size();
  lineAt_ = windowAt_ + at_;
}

void Lexer::skipBlanks() {
  constexpr char kEndMark = '\x1A';
  if (!begun_) passOrderMark();
  while (!atEnd()) {
    const char c = window_[at_];
    if (c == kEndMark) {
      if (!endMark_) endMark_ = place();
      remark(*endMark_, "0x1A at the end was passed over");
    } else if (!isBlank(c)) {
      if (endMark_) throw error(*endMark_, "0x1A stands here, and there is more after it");
      return;
    }
    ++at_;
    if (c == '\n') newLine();
  }
}

/// From its first letter to the line's end.
void Lexer::comment() {
  comment_.place = place();
  comment_.text.clear();
  while (!atEnd()) {
    const char* from = window_.data() + at_;
    const void* line = std::memchr(from, '\n', end_ - at_);
    const std::size_t count =
        line != nullptr ? static_cast<std::size_t>(static_cast<const char*>(line) - from) : end_ - at_;
    comment_.text.append(from, std::min(count, kMostOfComment - comment_.text.size()));
    at_ += count;
    if (line != nullptr) break;
  }
  std::string& text = comment_.text;
  text.erase(0, text.find_first_not_of("!/ \t"));
  while (!text.empty() && isBlank(text.back())) text.pop_back();
  if (told_) told_(comment_);
}

void Lexer::skip() {
  for (;;) {
    skipBlanks();
    const char c = peek();
    if (c == '!') {
      comment();
    } else if (c == '/') {
      const Place here = place();
      take();
      if (peek() != '/') throw error(here, "a comment begins with ! or //, and this is a single /");
      comment();
      comment_.place = here;
    } else {
      return;
    }
  }
}

std::string Lexer::word() {
  std::string text;
  while (isOfWord(peek())) {
    const char c = window_[at_++];
    if (text.size() < kMostOfWord) text += c >= 'a' && c <= 'z' ? static_cast<char>(c - 'a' + 'A') : c;
  }
  return text;
}

void Lexer::digits(const std::function<std::size_t(std::string_view)>& each) {
  for (;;) {
    skip();
    if (atEnd()) return;
    const std::size_t taken = each({window_.data() + at_, end_ - at_});
    if (taken == 0) return;
    at_ += taken;
  }
}

Error Lexer::error(const Place& place, const std::string& sentence, const std::string& remedy) const {
  return Error(ErrorKind::BadFile, fmt::format("{}:{}:{}: {}", fileName_, place.line, place.column, sentence), remedy);
}

}  // namespace imprimo::svf
