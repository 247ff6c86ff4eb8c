// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFile>
#include <QObject>
#include <QTemporaryFile>
#include <map>
#include <vector>

#include "app/console/paged_file.h"
#include "core/console/line_splitter.h"
#include "core/console/source.h"
#include "core/console/styled_text.h"

namespace imprimo::app {

/// All that was heard, as lines with their time and channel. The text is kept in a file, so that its length does not
/// matter, and so is what is known of each line.
class ConsoleLog : public QObject {
  Q_OBJECT
 public:
  explicit ConsoleLog(QObject* parent = nullptr);

  struct Line {
    qint64 at = 0;    ///< in the file
    qint64 time = 0;  ///< milliseconds since 1970
    std::uint32_t length = 0;
    std::uint16_t channel = 0;
    bool continues = false;      ///< a longer one that was cut before
    bool torn = false;           ///< bytes were lost somewhere near it
    bool note = false;           ///< said by the program, not by the target
    console::TextStyle style{};  ///< that it begins with
  };

  std::size_t count() const { return lines_.size(); }
  Line line(std::size_t index) const { return lines_[index]; }
  /// As it came.
  QByteArray bytes(std::size_t index) const;
  const std::vector<QString>& channels() const { return channels_; }
  std::uint64_t lost() const { return lost_; }
  /// What has come of lines that are not at their end, by channel.
  QByteArray open(std::size_t channel) const;

  void take(const std::vector<console::Heard>& news);
  void clear();
  /// Writes it all, with times and channels, without looks. Throws CannotWrite.
  void save(const QString& path) const;

 signals:
  void grew();
  void cleared();
  void lineAdded(qsizetype index, const std::string& text);

 private:
  std::uint16_t channelOf(const std::string& name);
  void add(std::uint16_t channel, const std::string& text, const Line& kind);
  void note(std::uint16_t channel, const QString& text);

  mutable QTemporaryFile file_;
  std::string pending_;  // of the file, until all that came is taken
  qint64 end_ = 0;
  PagedFile<Line> lines_;
  std::vector<QString> channels_;
  struct Channel {
    console::LineSplitter splitter;
    console::TextStyle style;
    bool continues = false;
  };
  std::vector<Channel> splitters_;
  std::uint64_t lost_ = 0;
};

}  // namespace imprimo::app
