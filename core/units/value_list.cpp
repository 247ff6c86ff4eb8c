// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/units/value_list.h"

#include <fmt/format.h>

#include <algorithm>
#include <unordered_map>

#include "core/base/error.h"
#include "core/base/input_file.h"

namespace imprimo::units {
namespace {

[[noreturn]] void fail(const std::string& name, std::size_t line, const std::string& what, const char* help = "") {
  throw Error(ErrorKind::BadFile, fmt::format("{}:{}: {}", name, line, what), help);
}

/// RFC 4180, 2: rows of fields, where one in quotation marks may hold commas, line ends and doubled marks.
class Rows {
 public:
  Rows(std::string_view text, const std::string& name) : text_(text), name_(name) {
    if (text_.starts_with("\xEF\xBB\xBF")) text_.remove_prefix(3);  // a byte order mark, as some programs write it
  }

  /// Where the row begins that was read last, counted from 1.
  std::size_t line() const { return begun_; }

  bool next(std::vector<std::string>& row) {
    row.clear();
    if (at_ >= text_.size()) return false;
    begun_ = line_;
    for (;;) {
      row.push_back(field());
      if (at_ >= text_.size()) return true;
      if (text_[at_++] == '\n') break;
    }
    ++line_;
    return true;
  }

 private:
  std::string field() {
    if (at_ >= text_.size()) return {};  // the text ends with a comma
    if (text_[at_] == '"') return quoted();
    const std::size_t end = std::min(text_.find_first_of(",\n", at_), text_.size());
    std::string value(text_.substr(at_, end - at_));
    if (value.ends_with('\r')) value.pop_back();
    at_ = end;
    return value;
  }

  std::string quoted() {
    std::string value;
    for (++at_; at_ < text_.size(); ++at_) {
      if (text_[at_] == '\n') ++line_;
      if (text_[at_] != '"') {
        value += text_[at_];
      } else if (at_ + 1 < text_.size() && text_[at_ + 1] == '"') {
        value += text_[++at_];
      } else {
        ++at_;
        if (at_ < text_.size() && text_[at_] == '\r') ++at_;
        if (at_ < text_.size() && text_[at_] != ',' && text_[at_] != '\n')
          fail(name_, line_, "something stands behind a closing quotation mark");
        return value;
      }
    }
    fail(name_, begun_, "a quotation mark is not closed");
  }

  std::string_view text_;
  const std::string& name_;
  std::size_t at_ = 0, line_ = 1, begun_ = 1;
};

}  // namespace

std::vector<std::string> columnOf(std::string_view text, const std::string& name, const std::string& column) {
  Rows rows(text, name);
  std::vector<std::string> row;
  if (!rows.next(row)) fail(name, 1, "the file is empty", "Its first line names the columns.");
  const auto found = std::find(row.begin(), row.end(), column);
  if (found == row.end()) {
    fail(name, 1, fmt::format("there is no column named {}; there are {}", column, fmt::join(row, ", ")),
         "The first line names the columns.");
  }
  const auto at = static_cast<std::size_t>(found - row.begin());
  const std::size_t columns = row.size();
  std::vector<std::string> values;
  std::unordered_map<std::string, std::size_t> seen;
  while (rows.next(row)) {
    if (row.size() == 1 && row[0].empty()) continue;
    if (row.size() != columns)
      fail(name, rows.line(), fmt::format("{} values, and the first line has {}", row.size(), columns));
    if (row[at].empty()) fail(name, rows.line(), fmt::format("nothing stands in column {}", column));
    const auto [earlier, isNew] = seen.emplace(row[at], rows.line());
    if (!isNew)
      fail(name, rows.line(), fmt::format("'{}' is already in line {}", row[at], earlier->second),
           "Each unit needs a value of its own.");
    values.push_back(row[at]);
  }
  return values;
}

std::vector<std::string> readColumn(const std::filesystem::path& file, const std::string& column) {
  return columnOf(readTextFile(file), file.string(), column);
}

}  // namespace imprimo::units
