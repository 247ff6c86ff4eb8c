// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/records/record_report.h"

#include <QCoreApplication>
#include <QDateTime>
#include <QFileInfo>
#include <QPainter>
#include <QPrinter>
#include <QUrl>

#include "app/look/theme.h"
#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "records/kept_record.h"

namespace imprimo::app {
namespace {

using Json = nlohmann::ordered_json;
using Facts = std::vector<std::pair<QString, QString>>;

QString tr(const char* text) {
  return QCoreApplication::translate("Report", text);
}

QString textAt(const Json& json, const char* key) {
  return json.contains(key) && json[key].is_string() ? QString::fromStdString(json[key].get<std::string>()) : QString();
}

double realAt(const Json& json, const char* key) {
  return json.contains(key) && json[key].is_number() ? json[key].get<double>() : 0;
}

QString duration(double seconds) {
  return QString::fromStdString(durationText(seconds));
}

/// In UTC and in the time of where it was made.
QString times(const Json& json) {
  const QDateTime utc = QDateTime::fromString(textAt(json, "started"), Qt::ISODate);
  if (!utc.isValid()) return textAt(json, "started");
  const int zone = static_cast<int>(realAt(json, "zone"));
  if (zone == 0) return utc.toUTC().toString("yyyy-MM-dd HH:mm:ss") + " UTC";
  const QDateTime there = utc.toOffsetFromUtc(zone * 60);
  return QString("%1 (UTC%2%3:%4)")
      .arg(there.toString("yyyy-MM-dd HH:mm:ss"), zone < 0 ? "−" : "+")
      .arg(std::abs(zone) / 60)
      .arg(std::abs(zone) % 60, 2, 10, QChar('0'));
}

Facts factsOf(const Json& json) {
  Facts facts;
  const auto add = [&](const char* name, const QString& value) {
    if (!value.isEmpty()) facts.emplace_back(tr(name), value);
  };
  add("When", times(json));
  add("Took", realAt(json, "seconds") > 0 ? duration(realAt(json, "seconds")) : QString());
  add("Where", textAt(json, "memory").isEmpty() ? textAt(json, "device") : textAt(json, "memory"));
  add("Sheet", QFileInfo(textAt(json, "sheet")).fileName());
  if (json.contains("unit")) {
    const Json& unit = json["unit"];
    add("Unit", QString("%1 (%2)").arg(static_cast<qulonglong>(realAt(unit, "id"))).arg(textAt(unit, "ledger")));
    if (unit.contains("fields")) {
      for (const auto& [name, value] : unit["fields"].items()) {
        if (value.is_string())
          facts.emplace_back(QString::fromStdString(name), QString::fromStdString(value.get<std::string>()));
      }
    }
  }
  add("Station", textAt(json, "station"));
  add("By", textAt(json, "person"));
  add("Probe", textAt(json, "probe_serial").isEmpty() ? textAt(json, "probe")
                                                      : textAt(json, "probe") + ", " + textAt(json, "probe_serial"));
  add("Program", textAt(json, "version"));
  if (realAt(json, "bytes") > 0)
    add("Bytes", QString::fromStdString(sizeText(static_cast<std::uint64_t>(realAt(json, "bytes")))));
  add("Planned, SHA-256", textAt(json, "planned_sha256"));
  add("Found, SHA-256", textAt(json, "found_sha256"));
  add("Copy of before", QFileInfo(textAt(json, "backup")).fileName());
  if (json.contains("differences"))
    add("Bytes that differ", QString::number(static_cast<qulonglong>(realAt(json, "differences"))));
  return facts;
}

std::optional<AddressRange> rangeOf(const Json& json) {
  const auto from = parseNumber(textAt(json, "from").toStdString()), to = parseNumber(textAt(json, "to").toStdString());
  if (!from || !to || *to < *from) return std::nullopt;
  return AddressRange{*from, *to + 1};
}

/// Where in the memory it worked: what was read or written, erased, and what differs.
QImage mapOf(const Json& json, const ReportLook& look, QString& words) {
  struct Bar {
    AddressRange range;
    QColor colour;
    int height;
  };
  const Theme& theme = Theme::of(ThemeKind::Light);
  std::vector<Bar> bars;
  const auto add = [&](const Json& list, const QColor& colour, int height) {
    for (const Json& each : list) {
      if (const auto range = rangeOf(each)) bars.push_back({*range, colour, height});
    }
  };
  if (json.contains("steps")) {
    for (const Json& step : json["steps"]) {
      const bool done = step.contains("finished") && step["finished"].is_boolean() && step["finished"].get<bool>();
      if (step.contains("range") && done) add(Json::array({step["range"]}), theme.agreesTile, 14);
    }
  }
  if (json.contains("erased")) add(json["erased"], theme.erasing, 6);
  if (json.contains("different")) add(json["different"], theme.differs, 20);
  if (bars.empty()) return {};
  AddressRange all = bars.front().range;
  for (const Bar& bar : bars) all = {std::min(all.begin, bar.range.begin), std::max(all.end, bar.range.end)};
  constexpr int kMapWidth = 900, kMapHeight = 24;
  QImage image(kMapWidth, kMapHeight, QImage::Format_ARGB32_Premultiplied);
  image.fill(Qt::transparent);
  QPainter painter(&image);
  painter.fillRect(0, 9, kMapWidth, 6, QColor(look.line));
  for (const Bar& bar : bars) {
    const double scale = kMapWidth / static_cast<double>(all.size());
    const double x = static_cast<double>(bar.range.begin - all.begin) * scale;
    const double w = std::max(2.0, static_cast<double>(bar.range.size()) * scale);
    painter.fillRect(QRectF(x, (kMapHeight - bar.height) / 2.0, w, bar.height), bar.colour);
  }
  words = QString::fromStdString(rangeText(all));
  return image;
}

QString cell(const QString& text, const QString& colour, const char* more = "") {
  return QString("<td style='color:%1; padding-right:14px; %2'>%3</td>").arg(colour, more, text.toHtmlEscaped());
}

QString headOf(const Json& json, const ReportLook& look) {
  const bool good = records::isGood(textAt(json, "result").toStdString());
  const QString title = textAt(json, "title").isEmpty() ? tr("Run") : textAt(json, "title");
  return QString(
             "<p style='font-size:17px; font-weight:600; color:%1'>%2</p>"
             "<p style='font-size:14px; color:%3'>%4 <b>%5</b></p><p style='color:%1'>%6</p>")
      .arg(look.ink, title.toHtmlEscaped(), good ? look.ink : look.trouble, good ? "●" : "✕",
           textAt(json, "result").toHtmlEscaped(), textAt(json, "message").toHtmlEscaped());
}

QString stepsOf(const Json& json, const ReportLook& look) {
  if (!json.contains("steps") || json["steps"].empty()) return {};
  QString html = QString("<p style='font-weight:600; color:%1'>%2</p><table cellspacing='0' cellpadding='2'>")
                     .arg(look.ink, tr("Steps"));
  for (const Json& step : json["steps"]) {
    const bool done = step.contains("finished") && step["finished"].is_boolean() && step["finished"].get<bool>();
    html += "<tr>" + cell(done ? "●" : "✕", done ? look.ink : look.trouble) +
            cell(step.contains("begun") ? duration(realAt(step, "begun")) : QString(), look.muted) +
            cell(textAt(step, "title"), done ? look.ink : look.trouble) +
            cell(duration(realAt(step, "seconds")), look.ink) + cell(textAt(step, "note"), look.muted) + "</tr>";
  }
  return html + "</table>";
}

}  // namespace

ReportLook ReportLook::window() {
  const Theme& theme = Theme::current();
  return {theme.ink.name(), theme.muted.name(), theme.differs.name(), theme.line.name(), theme.differsTint.name()};
}

ReportLook ReportLook::paper() {
  const Theme& theme = Theme::of(ThemeKind::Light);
  return {"#000000", "#555555", theme.differs.name(), "#bbbbbb", theme.differsTint.name()};
}

void writeReport(QTextDocument& document, const std::string& record, const ReportLook& look, bool sign) {
  const Json json = Json::parse(record, nullptr, false);
  if (!json.is_object()) return document.setPlainText(QString::fromStdString(record));
  QString html = headOf(json, look) + "<table cellspacing='0' cellpadding='2'>";
  for (const auto& [name, value] : factsOf(json))
    html += "<tr>" + cell(name, look.muted) + cell(value, look.ink) + "</tr>";
  html += "</table>";
  QString words;
  const QImage map = mapOf(json, look, words);
  if (!map.isNull()) {
    document.addResource(QTextDocument::ImageResource, QUrl("report://map"), map);
    html += QString("<p style='color:%1'>%2</p><p><img src='report://map' width='420'></p>").arg(look.muted, words);
  }
  html += stepsOf(json, look);
  if (sign) {
    html += QString(
                "<p><br><br></p><table width='100%' cellspacing='0'><tr><td "
                "width='60%'>______________________________<br>%1</td>"
                "<td>____________________<br>%2</td></tr></table><p style='color:%3; font-size:8pt'>%4</p>")
                .arg(tr("Checked by"), tr("Date"), look.muted, textAt(json, "id"));
  }
  document.setHtml(html);
}

void writeComparison(QTextDocument& document, const std::string& one, const std::string& other,
                     const ReportLook& look) {
  const Json a = Json::parse(one, nullptr, false), b = Json::parse(other, nullptr, false);
  if (!a.is_object() || !b.is_object()) return document.setPlainText({});
  QString html =
      QString("<p style='font-size:17px; font-weight:600; color:%1'>%2</p><table cellspacing='0' cellpadding='3'>")
          .arg(look.ink, tr("Two runs"));
  const auto row = [&](const QString& name, const QString& left, const QString& right) {
    const QString tint = left == right ? QString() : "background-color:" + look.tint;
    html += "<tr>" + cell(name, look.muted) + cell(left, look.ink, qPrintable(tint)) +
            cell(right, look.ink, qPrintable(tint)) + "</tr>";
  };
  row(tr("Result"), textAt(a, "result"), textAt(b, "result"));
  row(tr("Said"), textAt(a, "message"), textAt(b, "message"));
  const Facts left = factsOf(a), right = factsOf(b);
  const auto valueIn = [](const Facts& facts, const QString& name) {
    for (const auto& [each, value] : facts) {
      if (each == name) return value;
    }
    return QString("–");
  };
  for (const auto& [name, value] : left) row(name, value, valueIn(right, name));
  for (const auto& [name, value] : right) {
    if (valueIn(left, name) == "–") row(name, "–", value);
  }
  const auto steps = [](const Json& json) {
    Facts all;
    if (!json.contains("steps")) return all;
    for (const Json& step : json["steps"]) {
      QString title = textAt(step, "title");
      for (int n = 2; std::any_of(all.begin(), all.end(), [&](const auto& each) { return each.first == title; }); ++n)
        title = QString("%1 (%2)").arg(textAt(step, "title")).arg(n);
      all.emplace_back(title, duration(realAt(step, "seconds")) + (step.value("finished", true) ? "" : " ✕"));
    }
    return all;
  };
  const Facts before = steps(a), behind = steps(b);
  for (const auto& [name, value] : before) row(name, value, valueIn(behind, name));
  for (const auto& [name, value] : behind) {
    if (valueIn(before, name) == "–") row(name, "–", value);
  }
  document.setHtml(html + "</table>");
}

void printReport(const std::string& record, const QString& file) {
  QPrinter printer(QPrinter::HighResolution);
  printer.setOutputFormat(QPrinter::PdfFormat);
  printer.setOutputFileName(file);
  printer.setPageSize(QPageSize(QPageSize::A4));
  printer.setPageMargins(QMarginsF(18, 18, 18, 18), QPageLayout::Millimeter);
  QTextDocument document;
  document.setDefaultFont(textFont(11));
  writeReport(document, record, ReportLook::paper(), true);
  document.print(&printer);
  if (printer.printerState() == QPrinter::Error || QFileInfo(file).size() == 0)
    throw Error(ErrorKind::CannotWrite, file.toStdString() + " cannot be written");
}

}  // namespace imprimo::app
