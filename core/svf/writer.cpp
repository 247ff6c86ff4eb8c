// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/svf/writer.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <charconv>
#include <cmath>
#include <cstring>

namespace imprimo::svf {
namespace {

using jtag::TapState;

constexpr std::size_t kHandOver = 256 * 1024;
constexpr std::size_t kFields4 = 4;

constexpr std::array<std::array<char, 2>, 256> kPairs = [] {
  constexpr char kDigits[] = "0123456789ABCDEF";
  std::array<std::array<char, 2>, 256> pairs{};
  for (std::size_t i = 0; i < 256; ++i) pairs[i] = {kDigits[i >> 4], kDigits[i & 15]};
  return pairs;
}();

}  // namespace

Writer::Writer(Sink sink, WriterOptions options) : sink_(std::move(sink)), options_(options) {
  options_.lineLength = std::clamp<std::size_t>(options_.lineLength, 80, 255);
  ends_.fill(TapState::RunTestIdle);
}

void Writer::flushIfLarge() {
  if (text_.size() >= kHandOver) finish();
}

void Writer::finish() {
  sink_(text_);
  bytes_ += text_.size();
  text_.clear();
}

/// Text that is not broken; a new line first where it does not fit any more.
void Writer::put(std::string_view text) {
  if (column_ > 0 && column_ + text.size() > options_.lineLength) {
    text_ += '\n';
    column_ = 0;
    if (text.starts_with(' ')) text.remove_prefix(1);
  }
  text_ += text;
  column_ += text.size();
}

void Writer::statement(std::string_view text) {
  put(text);
  text_ += '\n';
  column_ = 0;
  flushIfLarge();
}

void Writer::comment(std::string_view text) {
  const std::size_t room = options_.lineLength - 2;
  if (text.size() > room) {
    // Not in the middle of a letter: bytes that go on with one (UTF-8) are not what a rest may begin with.
    std::size_t end = room;
    while (end > 0 && (static_cast<unsigned char>(text[end]) & 0xC0) == 0x80) --end;
    text = text.substr(0, end);
  }
  text_ += "! ";
  for (const char c : text) text_ += c == '\n' || c == '\r' ? ' ' : c;
  column_ = 0;
  statement({});
}

void Writer::begin() {
  statement("STATE RESET;");
  statement("ENDIR IDLE;");
  statement("ENDDR IDLE;");
  statement("STATE IDLE;");
  statement(fmt::format("FREQUENCY {:.6E} HZ;", options_.hz));
  pad({});
}

void Writer::splice(const std::function<std::size_t(std::span<std::uint8_t>)>& source, double seconds) {
  std::array<std::uint8_t, 16384> piece{};
  while (const std::size_t count = source(piece)) {
    text_.append(reinterpret_cast<const char*>(piece.data()), count);
    flushIfLarge();
  }
  seconds_ += seconds;
  statement({});
  padding_.reset();
  ends_.fill(TapState::RunTestIdle);
  lengths_.fill(0);
  for (BitVector& mask : masks_) mask = {};
  begin();
}

void Writer::reset() {
  statement("STATE RESET;");
  statement("STATE IDLE;");
  seconds_ += 6 / options_.hz;
}

void Writer::pad(const Padding& padding) {
  if (padding_ == padding) return;
  padding_ = padding;
  const std::array<std::pair<const char*, std::size_t>, kFields4> all{
      {{"TIR", padding.tir}, {"HIR", padding.hir}, {"TDR", padding.tdr}, {"HDR", padding.hdr}}};
  for (const auto& [name, length] : all) {
    put(name);
    number(length);
    if (length > 0) digits(" TDI (", BitVector(length, name[1] == 'I'), false);
    statement(";");
  }
}

void Writer::number(std::uint64_t value) {
  std::array<char, 24> text{};
  text[0] = ' ';
  put({text.data(),
       static_cast<std::size_t>(std::to_chars(text.data() + 1, text.data() + text.size(), value).ptr - text.data())});
}

void Writer::digits(std::string_view opening, const BitVector& bits, bool isShort) {
  std::size_t count = (bits.size() + 3) / 4;
  const auto words = bits.words();
  if (isShort) {
    std::size_t used = words.size();
    while (used > 0 && words[used - 1] == 0) --used;
    const std::size_t top = used == 0 ? 0 : (static_cast<std::size_t>(std::bit_width(words[used - 1])) + 3) / 4;
    count = std::max<std::size_t>(1, used == 0 ? 0 : 16 * (used - 1) + top);
  }
  put(opening);
  // Whole words from the top; the digits that the first has too many are cut off.
  const std::size_t used = (count + 15) / 16;
  if (digits_.size() < 16 * used) digits_.resize(16 * used);
  char* to = digits_.data();
  for (std::size_t i = used; i-- > 0;) {
    const std::uint64_t word = words[i];
    for (int shift = 56; shift >= 0; shift -= 8, to += 2) std::memcpy(to, kPairs[word >> shift & 0xFF].data(), 2);
  }
  std::string_view all = std::string_view(digits_).substr(16 * used - count, count);
  // A short one goes as a whole, a long one fills lines.
  if (all.size() + column_ > options_.lineLength && all.size() <= options_.lineLength / 4) {
    text_ += '\n';
    column_ = 0;
  }
  while (!all.empty()) {
    if (column_ >= options_.lineLength) {
      text_ += '\n';
      column_ = 0;
    }
    const std::size_t some = std::min(all.size(), options_.lineLength - column_);
    text_ += all.substr(0, some);
    column_ += some;
    all.remove_prefix(some);
  }
  put(")");
}

void Writer::scan(Field field, const BitVector& tdi, const BitVector* tdo, const BitVector* mask, TapState end) {
  const std::size_t which = field == Field::Sir ? 0 : 1;
  if (ends_[which] != end) {
    ends_[which] = end;
    statement(fmt::format("{} {};", which == 0 ? "ENDIR" : "ENDDR", svfName(end)));
  }
  put(nameOf(field));
  number(tdi.size());
  digits(" TDI (", tdi, options_.shortDigits);
  if (lengths_[which] != tdi.size()) masks_[which] = {};
  lengths_[which] = tdi.size();
  if (tdo != nullptr) {
    digits(" TDO (", *tdo, false);
    if (masks_[which] != *mask) {
      digits(" MASK (", *mask, false);
      masks_[which] = *mask;
    }
  }
  statement(";");
  const Padding& p = *padding_;
  seconds_ += static_cast<double>(tdi.size() + (which == 0 ? p.hir + p.tir + 6 : p.hdr + p.tdr + 5)) / options_.hz;
}

void Writer::wait(std::uint64_t clocks, double seconds) {
  clocks = std::max(clocks, static_cast<std::uint64_t>(std::ceil(seconds * options_.hz - 1e-6)));
  seconds = std::max(seconds, static_cast<double>(clocks) / options_.hz);
  if (clocks != waitClocks_ || seconds != waitSeconds_) {
    waitClocks_ = clocks;
    waitSeconds_ = seconds;
    // Rounded up, so that who looks only at the time waits long enough too.
    const double step = seconds > 0 ? std::pow(10, std::floor(std::log10(seconds)) - 3) : 1;
    wait_ =
        fmt::format("RUNTEST IDLE {} TCK {:.3E} SEC ENDSTATE IDLE;", clocks, std::ceil(seconds / step - 1e-6) * step);
  }
  statement(wait_);
  seconds_ += seconds;
}

}  // namespace imprimo::svf
