// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/wrapper_card.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/json_text.h"
#include "core/image/sync_word.h"

namespace imprimo {
namespace {

using Item = WrapperCard::Item;

class CardReader {
 public:
  CardReader(const JsonText& json, const std::string& fileName) : root_(json) { card_.fileName = fileName; }

  WrapperCard read() {
    root_.object();
    if (root_["imprimo_wrapper"].number() != 1) root_["imprimo_wrapper"].fail("this program reads version 1");
    onlyKnows(root_, {"imprimo_wrapper", "name", "byte_order", "header", "payload", "bits", "sync"});
    card_.name = root_["name"].string();
    if (root_.has("byte_order")) card_.lowByteFirst = root_["byte_order"].choice("high-first", "low-first");
    for (const JsonNode& node : root_["header"].elements()) item(node.object());
    if (root_.has("payload")) payload(root_["payload"].object());
    if (root_.has("bits")) card_.reversed = root_["bits"].choice("normal", "reversed");
    if (root_.has("sync")) card_.sync = bytes(root_["sync"]);
    return std::move(card_);
  }

 private:
  static void onlyKnows(const JsonNode& node, const std::set<std::string>& known) {
    const auto unknown = node.unknownKeys(known);
    if (!unknown.empty()) node.fail(fmt::format("the key {} is not known here", unknown.front()));
  }
  static Bytes bytes(const JsonNode& node) {
    const auto value = parseByteDigits(node.string());
    if (!value) node.fail("should be bytes in digits, like \"9A 51\"");
    return *value;
  }
  static int size(const JsonNode& node, std::uint64_t most) {
    const std::uint64_t value = node.number();
    if (value < 1 || value > most) node.fail(fmt::format("should be 1 to {} bytes", most));
    return static_cast<int>(value);
  }
  static WrapperCard::As as(const JsonNode& node) {
    if (!node.has("as")) return WrapperCard::As::Text;
    const std::string text = node["as"].string();
    if (text == "text") return WrapperCard::As::Text;
    if (text == "number") return WrapperCard::As::Number;
    if (text == "digits") return WrapperCard::As::Digits;
    node["as"].fail("should be \"text\", \"number\" or \"digits\"");
  }

  void item(const JsonNode& node) {
    Item item{Item::Skip, node.path()};
    if (node.has("bytes")) {
      onlyKnows(node, {"bytes", "name"});
      item.kind = Item::Mark;
      item.mark = bytes(node["bytes"]);
      if (node.has("name")) item.name = node["name"].string();
    } else if (node.has("skip")) {
      onlyKnows(node, {"skip"});
      item.size = node["skip"].number();
    } else if (node.has("entries")) {
      onlyKnows(node, {"entries"});
      entries(item, node["entries"].object());
    } else {
      onlyKnows(node, {"name", "size", "length_size", "as"});
      item.kind = Item::Field;
      item.name = node["name"].string();
      item.as = as(node);
      if (node.has("size") == node.has("length_size")) node.fail("should have either size or length_size");
      if (node.has("size")) {
        item.size = node["size"].number();
        if (item.size == 0) node["size"].fail("should be at least 1");
      } else {
        item.lengthSize = size(node["length_size"], 4);
      }
      if (item.as == WrapperCard::As::Number && item.size > 8) node["size"].fail("a number has at most 8 bytes");
    }
    card_.header.push_back(std::move(item));
  }

  void entries(Item& item, const JsonNode& node) {
    onlyKnows(node, {"tag_size", "length_size", "end", "names"});
    item.kind = Item::Entries;
    item.tagSize = size(node["tag_size"], 4);
    item.lengthSize = size(node["length_size"], 4);
    item.endTag = node["end"].number();
    const JsonNode names = node["names"].object();
    for (const std::string& tag : names.keys()) {
      const auto number = parseByteDigits(tag);
      const JsonNode entry = names[tag].object();
      if (!number || number->size() != static_cast<std::size_t>(item.tagSize))
        entry.fail(fmt::format("a tag has {} bytes, in digits", item.tagSize));
      std::uint64_t value = 0;
      for (const std::uint8_t b : *number) value = value << 8 | b;
      onlyKnows(entry, {"name", "as"});
      item.tags[value] = {entry["name"].string(), as(entry)};
    }
  }

  void payload(const JsonNode& node) {
    onlyKnows(node, {"length_size", "length_from", "unit"});
    if (node.has("length_size")) card_.payloadLengthSize = size(node["length_size"], 8);
    if (node.has("length_from")) {
      card_.payloadLengthFrom = node["length_from"].string();
      if (card_.payloadLengthSize != 0) node["length_from"].fail("leave one of length_size and length_from out");
      if (!hasNumber(card_.payloadLengthFrom)) {
        node["length_from"].fail(fmt::format("the header has no number named {}", card_.payloadLengthFrom));
      }
    }
    if (node.has("unit")) card_.lengthInBits = node["unit"].choice("bytes", "bits");
  }

  bool hasNumber(const std::string& name) const {
    for (const Item& item : card_.header) {
      if (item.kind == Item::Field && item.name == name && item.as == WrapperCard::As::Number) return true;
      for (const auto& [tag, entry] : item.tags) {
        if (entry.first == name && entry.second == WrapperCard::As::Number) return true;
      }
    }
    return false;
  }

  JsonNode root_;
  WrapperCard card_;
};

/// Why a file does not fit; caught in tryUnwrap.
struct Misfit {
  std::string what;
};

class Unwrapper {
 public:
  Unwrapper(const WrapperCard& card, ByteSpan bytes, Unwrapped& out) : card_(card), bytes_(bytes), out_(out) {}

  void run() {
    for (const Item& item : card_.header) take(item);
    std::uint64_t length = bytes_.size() - at_;
    if (card_.payloadLengthSize > 0) {
      length = inBytes(number(card_.payloadLengthSize, "the payload's length"));
    } else if (!card_.payloadLengthFrom.empty()) {
      const auto found = numbers_.find(card_.payloadLengthFrom);
      if (found == numbers_.end()) fail(fmt::format("the header did not say {}", card_.payloadLengthFrom));
      length = inBytes(found->second);
    }
    need(length, "the payload");
    if (length == 0) fail("the payload is empty");
    out_.payload = {at_, at_ + length};
  }

 private:
  std::uint64_t inBytes(std::uint64_t length) const {
    return card_.lengthInBits ? length / 8 + (length % 8 != 0 ? 1 : 0) : length;
  }
  [[noreturn]] void fail(const std::string& what) const { throw Misfit{fmt::format("offset {:#x}: {}", at_, what)}; }
  void need(std::uint64_t count, const std::string& what) const {
    if (count <= bytes_.size() - at_) return;
    fail(fmt::format("{} should have {} bytes, and {} are left", what, count, bytes_.size() - at_));
  }
  ByteSpan next(std::uint64_t count, const std::string& what) {
    need(count, what);
    const ByteSpan part = bytes_.subspan(at_, count);
    at_ += count;
    return part;
  }
  std::uint64_t valueOf(ByteSpan bytes) const {
    std::uint64_t value = 0;
    for (std::size_t i = 0; i < bytes.size(); ++i) {
      value = value << 8 | bytes[card_.lowByteFirst ? bytes.size() - 1 - i : i];
    }
    return value;
  }
  std::uint64_t number(int size, const std::string& what) {
    return valueOf(next(static_cast<std::uint64_t>(size), what));
  }

  void field(const std::string& name, WrapperCard::As as, std::uint64_t size, const std::string& where) {
    const ByteSpan value = next(size, fmt::format("{} ({})", name.empty() ? "what is passed over" : name, where));
    std::string text;
    if (as == WrapperCard::As::Number && value.size() <= 8) {
      numbers_[name] = valueOf(value);
      text = fmt::format("{}", valueOf(value));
    } else if (as == WrapperCard::As::Text) {
      for (const std::uint8_t c : value) {
        if (c == 0) break;
        text += c >= 0x20 && c < 0x7F ? static_cast<char>(c) : '?';
      }
    } else {
      for (const std::uint8_t c : value.first(std::min<std::size_t>(value.size(), 32)))
        text += fmt::format("{:02X}", c);
    }
    out_.fields.push_back({name, std::move(text), {at_ - size, at_}});
  }

  void take(const Item& item) {
    switch (item.kind) {
      case Item::Mark: {
        const ByteSpan found = next(item.mark.size(), item.path);
        for (std::size_t i = 0; i < found.size(); ++i) {
          if (found[i] == item.mark[i]) continue;
          at_ -= found.size() - i;
          fail(fmt::format("should be {:02X}, is {:02X} ({})", item.mark[i], found[i], item.path));
        }
        out_.fields.push_back({item.name, item.name.empty() ? "" : "as it should be", {at_ - found.size(), at_}});
        return;
      }
      case Item::Skip:
        return field("", WrapperCard::As::Digits, item.size, item.path);
      case Item::Field: {
        const std::uint64_t size =
            item.lengthSize > 0 ? number(item.lengthSize, "the length of " + item.name) : item.size;
        return field(item.name, item.as, size, item.path);
      }
      case Item::Entries:
        while (true) {
          const std::uint64_t tag = number(item.tagSize, fmt::format("a tag, or the end tag ({})", item.path));
          if (tag == item.endTag) return;
          const auto known = item.tags.find(tag);
          const std::uint64_t size = number(item.lengthSize, fmt::format("the length of entry {:#x}", tag));
          if (known == item.tags.end()) {
            field("", WrapperCard::As::Digits, size, fmt::format("entry {:#x}", tag));
          } else {
            field(known->second.first, known->second.second, size, fmt::format("entry {:#x}", tag));
          }
        }
    }
  }

  const WrapperCard& card_;
  ByteSpan bytes_;
  Unwrapped& out_;
  std::uint64_t at_ = 0;
  std::map<std::string, std::uint64_t> numbers_;
};

}  // namespace

WrapperCard parseWrapperCard(std::string_view text, const std::string& fileName) {
  const JsonText json = JsonText::parse(text, fileName);
  return CardReader(json, fileName).read();
}

WrapperCard readWrapperCard(const std::filesystem::path& path) {
  return parseWrapperCard(readTextFile(path, kCardFile), path.string());
}

Unwrapped tryUnwrap(const WrapperCard& card, ByteSpan bytes) {
  Unwrapped out;
  try {
    Unwrapper(card, bytes, out).run();
  } catch (const Misfit& misfit) {
    out.problem = misfit.what;
  }
  return out;
}

Unwrapped unwrap(const WrapperCard& card, ByteSpan bytes, const std::string& name) {
  Unwrapped out = tryUnwrap(card, bytes);
  if (out.problem.empty()) return out;
  throw Error(ErrorKind::BadFile, fmt::format("{}: {}", name, out.problem),
              fmt::format("It does not fit the wrapper card {}: use another card, or mend this one.", card.name));
}

}  // namespace imprimo
