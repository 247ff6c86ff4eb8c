// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/json_text.h"

#include <fmt/format.h>

#include <iterator>

#include "core/base/json.h"
#include "core/base/number.h"

namespace imprimo {
namespace {

using Json = nlohmann::ordered_json;

/// Reads a text and counts the lines it has passed; the parser copies iterators, so the count is kept outside.
struct CountingIterator {
  using iterator_category = std::input_iterator_tag;
  using value_type = char;
  using difference_type = std::ptrdiff_t;
  using pointer = const char*;
  using reference = const char&;

  const char* at;
  int* line;
  char* last;

  const char& operator*() const { return *at; }
  CountingIterator& operator++() {
    *last = *at;
    if (*at == '\n') ++*line;
    ++at;
    return *this;
  }
  CountingIterator operator++(int) {
    CountingIterator before = *this;
    ++*this;
    return before;
  }
  friend bool operator==(const CountingIterator& a, const CountingIterator& b) { return a.at == b.at; }
};

/// Builds the document from the parser's events and notes lines on the way.
class Builder : public nlohmann::json_sax<Json> {
 public:
  Builder(JsonText& text, std::size_t size, const int& line, const char& last)
      : text_(text), size_(size), line_(line), last_(last) {}

  bool null() override { return put(nullptr, line_); }
  bool boolean(bool v) override { return put(v, line_); }
  bool number_integer(number_integer_t v) override { return put(v, lineOfNumber()); }
  bool number_unsigned(number_unsigned_t v) override { return put(v, lineOfNumber()); }
  bool number_float(number_float_t v, const string_t&) override { return put(v, lineOfNumber()); }
  bool string(string_t& v) override { return put(v, line_); }
  bool binary(binary_t&) override { return false; }
  bool start_object(std::size_t) override { return open(Json::object()); }
  bool start_array(std::size_t) override { return open(Json::array()); }
  bool end_object() override { return close(); }
  bool end_array() override { return close(); }

  bool key(string_t& name) override {
    Level& level = levels_.back();
    level.key = name;
    if (level.value->contains(name)) {
      throw Error(ErrorKind::BadFile,
                  fmt::format("{}:{}: {}: this key stands here twice", text_.name, line_, pathOfNext()),
                  "Remove one of the two.");
    }
    return true;
  }

  bool parse_error(std::size_t position, const std::string& token, const nlohmann::detail::exception& e) override {
    constexpr int kNumberTooLarge = 406;  // the library's number for it
    std::string reason = "the text ends too early";
    if (e.id == kNumberTooLarge) {
      reason = fmt::format("the number {} is out of range", visibleText(token));
    } else if (position <= size_ && !token.empty()) {
      reason = fmt::format("'{}' cannot stand here", visibleText(token.substr(token.size() - 1)));
    }
    throw Error(ErrorKind::BadFile, fmt::format("{}:{}: not valid JSON: {}", text_.name, lineOfNumber(), reason));
  }

 private:
  struct Level {
    Json* value;
    std::string path;
    std::string key;
  };

  // Deciding that a number is over takes the character behind it, which may be the line's end.
  int lineOfNumber() const { return last_ == '\n' && line_ > 1 ? line_ - 1 : line_; }

  std::string pathOfNext() const {
    if (levels_.empty()) return "";
    const Level& level = levels_.back();
    if (level.value->is_array()) return fmt::format("{}[{}]", level.path, level.value->size());
    return level.path.empty() ? level.key : level.path + "." + level.key;
  }

  Json* place(Json&& value) {
    if (levels_.empty()) return &(*text_.root = std::move(value));
    Level& level = levels_.back();
    if (level.value->is_array()) {
      level.value->push_back(std::move(value));
      return &level.value->back();
    }
    return &((*level.value)[level.key] = std::move(value));
  }

  bool put(Json&& value, int line) {
    text_.lines[pathOfNext()] = line;
    place(std::move(value));
    return true;
  }

  bool open(Json&& value) {
    // Deeper than any file of ours, and far from the end of the stack when the value is destroyed.
    if (levels_.size() >= 100) {
      throw Error(ErrorKind::BadFile, fmt::format("{}:{}: nested more than 100 deep", text_.name, line_));
    }
    std::string path = pathOfNext();
    text_.lines[path] = line_;
    Json* placed = place(std::move(value));
    levels_.push_back({placed, std::move(path), {}});
    return true;
  }

  bool close() {
    levels_.pop_back();
    return true;
  }

  JsonText& text_;
  std::size_t size_;
  const int& line_;
  const char& last_;
  std::vector<Level> levels_;
};

}  // namespace

JsonText JsonText::parse(std::string_view text, std::string name) {
  JsonText result;
  result.name = std::move(name);
  result.root = std::make_shared<Json>();
  int line = 1;
  char last = 0;
  Builder builder(result, text.size(), line, last);
  const CountingIterator begin{text.data(), &line, &last};
  const CountingIterator end{text.data() + text.size(), &line, &last};
  Json::sax_parse(begin, end, &builder);
  return result;
}

bool JsonNode::has(const std::string& key) const {
  return value_->is_object() && value_->contains(key);
}

std::vector<std::string> JsonNode::keys() const {
  std::vector<std::string> keys;
  for (const auto& item : object().value_->items()) keys.push_back(item.key());
  return keys;
}

bool JsonNode::isText() const {
  return value_->is_string();
}

bool JsonNode::isNumber() const {
  return value_->is_number();
}

std::string JsonNode::dump() const {
  return value_->dump();
}

JsonNode JsonNode::operator[](const std::string& key) const {
  object();
  if (!value_->contains(key)) {
    const auto line = text_->lines.find(path_);
    const std::string path = memberPath(key);
    throw BadValue(fmt::format("{}:{}: {}", text_->name, line == text_->lines.end() ? 1 : line->second, path), path,
                   "this key is missing");
  }
  return {*text_, (*value_)[key], memberPath(key)};
}

std::vector<JsonNode> JsonNode::elements() const {
  if (!value_->is_array()) fail("should be a list in [ ]");
  std::vector<JsonNode> nodes;
  for (std::size_t i = 0; i < value_->size(); ++i) {
    nodes.push_back(JsonNode(*text_, (*value_)[i], fmt::format("{}[{}]", path_, i)));
  }
  return nodes;
}

const JsonNode& JsonNode::object() const {
  if (!value_->is_object()) fail("should be an object in { }");
  return *this;
}

std::string JsonNode::string() const {
  if (!value_->is_string()) fail("should be a text in quotes");
  return value_->get<std::string>();
}

bool JsonNode::boolean() const {
  if (!value_->is_boolean()) fail("should be true or false");
  return value_->get<bool>();
}

std::uint64_t JsonNode::number() const {
  if (value_->is_number_unsigned()) return value_->get<std::uint64_t>();
  if (value_->is_string()) {
    if (const auto number = parseNumber(value_->get_ref<const std::string&>())) return *number;
  }
  fail("should be a number: \"0x400000\", \"4194304\" or \"4M\"");
}

double JsonNode::real() const {
  if (!value_->is_number()) fail("should be a number");
  return value_->get<double>();
}

bool JsonNode::choice(const char* no, const char* yes) const {
  const std::string text = string();
  if (text != no && text != yes) fail(fmt::format("should be \"{}\" or \"{}\"", no, yes));
  return text == yes;
}

void JsonNode::onlyKnown(const std::set<std::string>& known) const {
  const auto unknown = object().unknownKeys(known);
  if (!unknown.empty()) fail("there is no key " + unknown.front());
}

std::string JsonNode::where() const {
  const auto line = text_->lines.find(path_);
  return fmt::format("{}:{}{}{}", text_->name, line == text_->lines.end() ? 1 : line->second, path_.empty() ? "" : ": ",
                     path_);
}

void JsonNode::fail(const std::string& sentence) const {
  throw BadValue(where(), path_, sentence);
}

std::vector<std::string> JsonNode::unknownKeys(const std::set<std::string>& known) const {
  std::vector<std::string> unknown;
  for (const auto& item : value_->items()) {
    if (!known.contains(item.key())) unknown.push_back(memberPath(item.key()));
  }
  return unknown;
}

}  // namespace imprimo
