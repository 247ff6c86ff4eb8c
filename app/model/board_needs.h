// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QString>
#include <vector>

#include "app/model/library_model.h"
#include "app/model/link_model.h"
#include "app/model/sheet_document.h"

namespace imprimo::app {

/// What devices of the sheet still lack: a description, or a length that is certain. What the library has for one is
/// taken by itself where just one fits.
class BoardNeeds : public QObject {
  Q_OBJECT
 public:
  BoardNeeds(SheetDocument& document, LinkModel& link, LibraryModel& library, QObject* parent = nullptr);

  struct Need {
    bool description = false;  ///< it has none
    bool length = false;       ///< its length is a guess
    /// Of the library, those that fit its IDCODE.
    std::vector<store::Description> fitting;
    /// What was tried and is wrong with it.
    QString trouble;
    bool any() const { return description && (length || !fitting.empty() || !trouble.isEmpty()); }
  };
  Need of(std::size_t position) const;
  /// Devices that are described, or whose length is certain.
  std::size_t known() const;

  /// Takes a description for a device, into the library too. False where it does not fit; then of() says why.
  bool describe(std::size_t position, const QString& file);
  /// The length of its instruction register as somebody typed it. False where it cannot be that.
  bool setLength(std::size_t position, const QString& text);
  /// Whether it can be addressed: with guesses beside it, where its register begins may not be certain.
  bool isPlaced(std::size_t position) const;
  /// Bounds for it, "8" or "8 to 10"; empty where nothing is connected.
  QString bounds(std::size_t position) const;
  /// Devices that lack one get the only description that fits them.
  void lookUp();

 signals:
  void changed();
  void message(const QString& text, bool trouble);

 private:
  std::optional<std::uint32_t> idcodeOf(std::size_t position) const;
  void setTrouble(std::size_t position, const QString& text);

  SheetDocument& document_;
  LinkModel& link_;
  LibraryModel& library_;
  std::map<std::string, QString> troubles_;  // by name of the device
};

}  // namespace imprimo::app
