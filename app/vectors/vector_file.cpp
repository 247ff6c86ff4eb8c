// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/vectors/vector_file.h"

#include <QFileInfo>
#include <algorithm>
#include <cstring>

#include "core/vectors/words.h"

namespace imprimo::app {
namespace {

constexpr std::size_t kMostPages = 24;
constexpr std::size_t kMostShown = 400;

bool isBlank(char c) {
  return c == ' ' || c == '\t' || c == '\r' || c == '\n';
}

/// The first or last `most` digits of a text between brackets.
std::string endDigits(std::string_view digits, std::size_t most, bool last) {
  std::string found;
  for (std::size_t i = 0; i < digits.size() && found.size() < most; ++i) {
    const char c = digits[last ? digits.size() - 1 - i : i];
    if (!isBlank(c)) found += c;
  }
  if (last) std::reverse(found.begin(), found.end());
  return found;
}

/// Behind the semicolon of the statement that begins at `at`.
std::size_t statementEnd(std::string_view text, std::size_t at) {
  while (at < text.size()) {
    at = text.find_first_of(";!/", at);
    if (at == std::string_view::npos) return text.size();
    if (text[at] == ';') return at + 1;
    at = text.find('\n', at);
  }
  return text.size();
}

}  // namespace

QString shortened(std::string_view statement) {
  constexpr std::size_t kWhole = 18, kFront = 4, kBack = 10;
  std::string text;
  for (std::size_t i = 0; i < statement.size() && text.size() < kMostShown; ++i) {
    const char c = statement[i];
    if (c == '!' || (c == '/' && i + 1 < statement.size() && statement[i + 1] == '/')) {
      const std::size_t end = statement.find('\n', i);
      if (end == std::string_view::npos) break;
      i = end - 1;
      continue;
    }
    if (isBlank(c)) {
      if (!text.empty() && text.back() != ' ') text += ' ';
      continue;
    }
    if (c != '(') {
      text += c;
      continue;
    }
    const std::size_t close = std::min(statement.find(')', i), statement.size());
    const std::string_view digits = statement.substr(i + 1, close - i - 1);
    const std::string front = endDigits(digits, kWhole + 1, false);
    text += '(';
    text += front.size() <= kWhole ? front : front.substr(0, kFront) + "…" + endDigits(digits, kBack, true);
    i = close - 1;
  }
  return QString::fromStdString(text);
}

VectorFile::VectorFile(const QString& path) : path_(path), file_(std::make_unique<QFile>(path)) {
  if (QFileInfo(path).isDir() || !file_->open(QIODevice::ReadOnly)) {
    throw Error(
        ErrorKind::BadFile,
        (path + ": " + (QFileInfo(path).isDir() ? QString("is a folder") : file_->errorString())).toStdString());
  }
  const qint64 size = file_->size();
  if (size == 0) throw Error(ErrorKind::BadFile, path.toStdString() + ": the file is empty");
  const uchar* at = file_->map(0, size);
  if (at == nullptr)
    throw Error(ErrorKind::BadFile, (path + ": cannot be mapped: " + file_->errorString()).toStdString());
  text_ = {reinterpret_cast<const char*>(at), static_cast<std::size_t>(size)};
}

QString VectorFile::name() const {
  return QFileInfo(path_).fileName();
}

std::unique_ptr<svf::Reader> VectorFile::reader(const std::shared_ptr<const VectorFile>& file) {
  auto source = [file, inner = svf::sourceOf(file->text_)](std::span<std::uint8_t> into) mutable {
    return inner(into);
  };
  return std::make_unique<svf::Reader>(std::move(source), file->name().toStdString());
}

void VectorFile::setWords(svf::ChainView chain, vectors::BridgeDecoder decoder) {
  chain_ = std::move(chain);
  decoder_ = std::move(decoder);
  forgetRows();
}

const VectorFile::Page& VectorFile::page(const svf::Survey& survey, std::size_t number) const {
  const auto known = pages_.find(number);
  if (known != pages_.end()) return known->second;
  if (pages_.size() >= kMostPages) {
    // The one farthest from here is not needed soon.
    const auto first = pages_.begin(), last = std::prev(pages_.end());
    const auto apart = [number](std::size_t other) { return number > other ? number - other : other - number; };
    pages_.erase(apart(first->first) > apart(last->first) ? first : last);
  }
  return pages_.emplace(number, readPage(survey, number)).first->second;
}

/// The statements that set the fields in front of a row.
std::string VectorFile::fieldsBefore(const svf::Survey::RowEntry& entry) const {
  std::string before;
  for (const std::uint64_t field : entry.fields) {
    if (field == 0) continue;
    const std::size_t from = field - 1;
    before += text_.substr(from, statementEnd(text_, from) - from);
  }
  return before;
}

/// The statements of the fields in front, and then the page's own, read as one text.
VectorFile::Page VectorFile::readPage(const svf::Survey& survey, std::size_t number) const {
  Page rows;
  const svf::Survey::RowEntry& entry = survey.index[number];
  const std::string before = fieldsBefore(entry);
  const std::size_t lead = before.size();
  svf::Source first = svf::sourceOf(before), rest = svf::sourceOf(text_.substr(entry.place.offset));
  svf::Reader reader(
      [&](std::span<std::uint8_t> into) {
        const std::size_t count = first(into);
        return count > 0 ? count : rest(into);
      },
      name().toStdString());
  const auto placed = [&](svf::Place place) {
    place.offset = place.offset - lead + entry.place.offset;
    place.line = place.line + entry.place.line - 1;
    return place;
  };
  std::vector<svf::Comment> comments;
  reader.onComment([&](const svf::Comment& c) { comments.push_back(c); });
  const auto takeComments = [&](std::uint64_t until) {
    for (const svf::Comment& c : comments) {
      if (c.place.offset >= until || c.place.offset < lead) continue;
      VectorRow row;
      row.place = placed(c.place);
      row.end = row.place.offset + c.text.size();
      row.comment = true;
      row.step = svf::stepTitle(c.text).has_value();
      row.text = "! " + QString::fromStdString(c.text);
      rows.push_back(std::move(row));
    }
    comments.clear();
  };
  vectors::VectorWords words(chain_, decoder_);
  try {
    svf::Statement s;
    while (rows.size() < svf::Survey::kRowsBetween && reader.next(s)) {
      takeComments(s.place.offset);
      const std::string said = words.words(s, reader);
      if (s.place.offset < lead) continue;
      VectorRow row;
      row.place = placed(s.place);
      row.end = s.end - lead + entry.place.offset;
      row.text = shortened(text_.substr(row.place.offset, row.end - row.place.offset));
      row.words = QString::fromStdString(said);
      rows.push_back(std::move(row));
    }
    takeComments(UINT64_MAX);
  } catch (const Error& e) {
    takeComments(UINT64_MAX);
    rows.push_back(VectorRow{.place = placed(reader.place()),
                             .end = text_.size(),
                             .broken = true,
                             .words = QString::fromStdString(survey.problem ? survey.problem->what() : e.what())});
  }
  if (rows.size() > svf::Survey::kRowsBetween) rows.resize(svf::Survey::kRowsBetween);
  return rows;
}

const VectorRow* VectorFile::row(const svf::Survey& survey, std::uint64_t number) const {
  const std::size_t at = number / svf::Survey::kRowsBetween;
  if (at >= survey.index.size()) return nullptr;
  const Page& rows = page(survey, at);
  const std::size_t in = number % svf::Survey::kRowsBetween;
  return in < rows.size() ? &rows[in] : nullptr;
}

std::uint64_t VectorFile::rowAt(const svf::Survey& survey, std::uint64_t offset) const {
  const auto behind =
      std::upper_bound(survey.index.begin(), survey.index.end(), offset,
                       [](std::uint64_t at, const svf::Survey::RowEntry& entry) { return at < entry.place.offset; });
  if (behind == survey.index.begin()) return 0;
  const auto number = static_cast<std::size_t>(behind - survey.index.begin()) - 1;
  const Page& rows = page(survey, number);
  std::size_t in = 0;
  while (in + 1 < rows.size() && rows[in].end <= offset) ++in;
  return number * svf::Survey::kRowsBetween + in;
}

QString VectorFile::asWritten(const VectorRow& row, int most) const {
  const std::string_view whole = text_.substr(row.place.offset, row.end - row.place.offset);
  const auto half = static_cast<std::size_t>(most / 2);
  QString text = whole.size() <= static_cast<std::size_t>(most)
                     ? QString::fromUtf8(whole.data(), static_cast<qsizetype>(whole.size()))
                     : QString::fromUtf8(whole.data(), static_cast<qsizetype>(half)) + " … " +
                           QString::fromUtf8(whole.data() + whole.size() - half, static_cast<qsizetype>(half));
  return text.simplified();
}

}  // namespace imprimo::app
