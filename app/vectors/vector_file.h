// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFile>
#include <QString>
#include <map>
#include <memory>
#include <string_view>

#include "core/svf/fit.h"
#include "core/svf/survey.h"
#include "core/vectors/bridge_decoder.h"

namespace imprimo::app {

/// One statement, or one comment between two, as the view shows it.
struct VectorRow {
  svf::Place place;
  std::uint64_t end = 0;  ///< offset behind it
  bool comment = false, step = false;
  bool broken = false;  ///< what cannot be read; `words` says why
  QString text = {};    ///< in one line, long digits shortened
  QString words = {};   ///< what it does
};

/// A file of vectors of any size: mapped, not read. Rows are made from it as they are looked at, beginning at the
/// places that a survey has found so far.
class VectorFile {
 public:
  /// Throws BadFile.
  explicit VectorFile(const QString& path);

  const QString& path() const { return path_; }
  QString name() const;
  std::string_view text() const { return text_; }
  /// A reader of the whole file; it keeps the mapping.
  static std::unique_ptr<svf::Reader> reader(const std::shared_ptr<const VectorFile>& file);

  /// What rows are told in the words of.
  void setWords(svf::ChainView chain, vectors::BridgeDecoder decoder);
  /// Row `number`, counted from 0; null where the survey has not come so far.
  const VectorRow* row(const svf::Survey& survey, std::uint64_t number) const;
  /// The row that `offset` lies in, or the next one.
  std::uint64_t rowAt(const svf::Survey& survey, std::uint64_t offset) const;
  /// The text of a row as it stands in the file, but for the middle of what is longer than `most`.
  QString asWritten(const VectorRow& row, int most) const;
  /// Forgets rows: the survey goes further now, or other words were set.
  void forgetRows() { pages_.clear(); }

 private:
  using Page = std::vector<VectorRow>;
  const Page& page(const svf::Survey& survey, std::size_t number) const;
  std::string fieldsBefore(const svf::Survey::RowEntry& entry) const;
  Page readPage(const svf::Survey& survey, std::size_t number) const;

  QString path_;
  std::unique_ptr<QFile> file_;
  std::string_view text_;
  svf::ChainView chain_{{}};
  vectors::BridgeDecoder decoder_;
  mutable std::map<std::size_t, Page> pages_;
};

/// A statement in one line: blanks joined, more than eighteen digits shortened to their ends.
QString shortened(std::string_view statement);

}  // namespace imprimo::app
