// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/console/console_log.h"

#include <QDateTime>
#include <algorithm>

#include "core/base/atomic_file.h"
#include "core/base/number.h"

namespace imprimo::app {

ConsoleLog::ConsoleLog(QObject* parent) : QObject(parent) {
  file_.open();
}

QByteArray ConsoleLog::bytes(std::size_t index) const {
  const Line line = lines_[index];
  file_.seek(line.at);
  return file_.read(line.length);
}

QByteArray ConsoleLog::open(std::size_t channel) const {
  return QByteArray::fromStdString(splitters_[channel].splitter.open());
}

std::uint16_t ConsoleLog::channelOf(const std::string& name) {
  const QString wanted = QString::fromStdString(name);
  const auto found = std::find(channels_.begin(), channels_.end(), wanted);
  if (found != channels_.end()) return static_cast<std::uint16_t>(found - channels_.begin());
  channels_.push_back(wanted);
  splitters_.emplace_back();
  return static_cast<std::uint16_t>(channels_.size() - 1);
}

void ConsoleLog::add(std::uint16_t channel, const std::string& text, const Line& kind) {
  Line line = kind;
  line.at = end_;
  line.time = QDateTime::currentMSecsSinceEpoch();
  line.length = static_cast<std::uint32_t>(text.size());
  line.channel = channel;
  line.style = splitters_[channel].style;
  if (!line.note) console::styledText(text, splitters_[channel].style);
  pending_ += text;
  end_ += line.length;
  lines_.push_back(line);
  emit lineAdded(static_cast<qsizetype>(lines_.size() - 1), text);
}

void ConsoleLog::note(std::uint16_t channel, const QString& text) {
  Line kind;
  kind.note = true;
  add(channel, text.toStdString(), kind);
}

void ConsoleLog::take(const std::vector<console::Heard>& news) {
  for (const console::Heard& heard : news) {
    const std::uint16_t channel = channelOf(heard.channel);
    if (heard.began) note(channel, tr("The target has begun anew."));
    for (const console::LineSplitter::Line& line : splitters_[channel].splitter.add(heard.bytes)) {
      Line kind;
      kind.continues = splitters_[channel].continues;
      kind.torn = heard.lost > 0;
      add(channel, line.text, kind);
      splitters_[channel].continues = !line.ended;
    }
    lost_ += heard.lost;
    if (heard.lost > 0)
      note(channel, tr("%1 found no room on the target.").arg(QString::fromStdString(countText(heard.lost, "byte"))));
    if (!heard.note.empty()) note(channel, QString::fromStdString(heard.note));
    if (heard.exit) note(channel, tr("The program has ended with %1.").arg(*heard.exit));
  }
  file_.seek(file_.size());
  file_.write(pending_.data(), static_cast<qint64>(pending_.size()));
  pending_.clear();
  emit grew();
}

void ConsoleLog::clear() {
  lines_.clear();
  splitters_.assign(channels_.size(), {});
  end_ = 0;
  lost_ = 0;
  file_.resize(0);
  emit cleared();
}

void ConsoleLog::save(const QString& path) const {
  AtomicFile out(path.toStdString(), static_cast<std::uint64_t>(end_));
  for (std::size_t i = 0; i < lines_.size(); ++i) {
    const Line line = lines_[i];
    const QString head = QDateTime::fromMSecsSinceEpoch(line.time).toString("yyyy-MM-dd HH:mm:ss.zzz");
    const std::string text = head.toStdString() + "  " + channels_[line.channel].toStdString() + "  " +
                             (line.note ? "* " : "") + console::plainText(bytes(i).toStdString()) + "\n";
    out.write(ByteSpan(reinterpret_cast<const std::uint8_t*>(text.data()), text.size()));
  }
  out.commit();
}

}  // namespace imprimo::app
