// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <nlohmann/json_fwd.hpp>
#include <set>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "core/base/input_file.h"

namespace imprimo {

/// A value that is not as it should be, or a key that is missing.
class BadValue : public Error {
 public:
  BadValue(const std::string& where, std::string path, std::string sentence)
      : Error(ErrorKind::BadFile, where + ": " + sentence), path_(std::move(path)), sentence_(std::move(sentence)) {}
  const std::string& path() const { return path_; }  ///< "memories[1].route.cs"
  /// What is wrong with it, without the place.
  const std::string& sentence() const { return sentence_; }

 private:
  std::string path_, sentence_;
};

/// A JSON text that knows the line of each of its values. Paths are written as people read them:
/// "memories[1].route.cs"; the whole document is "".
struct JsonText {
  std::shared_ptr<nlohmann::ordered_json> root;
  std::unordered_map<std::string, int> lines;  ///< line of each value's end, 1 is the first; of an object its opening
  std::string name;                            ///< the file's name, for messages

  /// Throws BadFile with name and line for bad syntax and for a duplicate key.
  static JsonText parse(std::string_view text, std::string name);
};

/// One value of a JsonText. Reading it notes which keys were used, so that the others can be told of.
class JsonNode {
 public:
  explicit JsonNode(const JsonText& text) : JsonNode(text, *text.root, "") {}

  const std::string& path() const { return path_; }

  bool has(const std::string& key) const;
  std::vector<std::string> keys() const;  ///< in order; throws BadFile when it is no object
  std::string dump() const;               ///< as JSON text in one line
  bool isText() const;
  bool isNumber() const;
  /// The member; throws BadFile naming the path and the object's line when it is missing.
  JsonNode operator[](const std::string& key) const;
  std::vector<JsonNode> elements() const;  ///< throws BadFile when it is no array

  const JsonNode& object() const;  ///< itself; throws BadFile when it is no object
  std::string string() const;      ///< throws BadFile when it is no string
  bool boolean() const;
  /// A string ("0x10", "16", "4K") or a whole number.
  std::uint64_t number() const;
  double real() const;
  /// One of two words: true for `yes`.
  bool choice(const char* no, const char* yes) const;
  /// Throws BadFile for a member that is not in `known`.
  void onlyKnown(const std::set<std::string>& known) const;

  /// "FILE:LINE: path".
  std::string where() const;
  /// Throws BadValue: "FILE:LINE: path: sentence".
  [[noreturn]] void fail(const std::string& sentence) const;

  /// Paths of the members that are not in `known`.
  std::vector<std::string> unknownKeys(const std::set<std::string>& known) const;

 private:
  JsonNode(const JsonText& text, const nlohmann::ordered_json& value, std::string path)
      : text_(&text), value_(&value), path_(std::move(path)) {}
  std::string memberPath(const std::string& key) const { return path_.empty() ? key : path_ + "." + key; }

  const JsonText* text_;
  const nlohmann::ordered_json* value_;
  std::string path_;
};

}  // namespace imprimo
