// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QImage>
#include <QString>
#include <QTextDocument>
#include <string>
#include <vector>

namespace imprimo::app {

/// Colours of a report: those of the window, or ink on paper.
struct ReportLook {
  QString ink, muted, trouble, line, tint;
  static ReportLook window();
  static ReportLook paper();
};

/// Puts a record (docs/formats/record.md) into a document: what came of it, with what, its steps with their times,
/// where in the memory it worked. `sign`: with a line for a signature.
void writeReport(QTextDocument& document, const std::string& record, const ReportLook& look, bool sign);
/// Two of them beside each other, with what is not the same marked.
void writeComparison(QTextDocument& document, const std::string& one, const std::string& other, const ReportLook& look);

/// A record as a page of PDF. Throws CannotWrite.
void printReport(const std::string& record, const QString& file);

}  // namespace imprimo::app
