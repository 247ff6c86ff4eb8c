// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QString>
#include <map>
#include <memory>
#include <optional>
#include <set>

#include "app/model/sheet_document.h"
#include "core/run/configure_runner.h"

namespace imprimo::app {

/// What is to be done to one part of the chain itself: which action, which file, which procedures of choice. Files are
/// the sheet's; the rest lasts as long as the part is looked at. Each field of the panel is a pair of functions here.
class DeviceWork : public QObject {
  Q_OBJECT
 public:
  explicit DeviceWork(SheetDocument& document, QObject* parent = nullptr) : QObject(parent), document_(document) {}

  /// Which part is looked at, counted from TDI; 0: none, a memory is.
  std::size_t position() const { return position_; }
  void lookAt(std::size_t position);
  const std::string& name() const;
  bool isDescribed() const { return position_ != 0 && document_.sheet().chain[position_ - 1].description != nullptr; }

  /// How it is configured; null where that is not known, and then problem() says why.
  const bench::DeviceConfigPtr& config() const { return config_; }
  QString problem() const { return problem_; }

  const std::vector<run::DeviceAction>& actions() const { return actions_; }
  const run::DeviceAction* action() const;
  void chooseAction(std::size_t index);
  bool chosen(const run::DeviceAction::Choice& choice) const;
  void choose(const run::DeviceAction::Choice& choice, bool on);
  /// In hexadecimal digits; empty: the file's.
  QString usercode() const { return usercode_; }
  void setUsercode(const QString& text);

  /// The file that the sheet has for this part; null: none.
  const sheet::Configuration* file() const;
  void setFile(const QString& path);
  void setReversed(bool reversed);
  void removeFile();
  /// What the file holds; null where there is none, or it cannot be read.
  std::shared_ptr<const configure::ConfigData> data() const { return data_; }

  /// The same, read anew with another order of bits; for a card that is being written. Throws nothing.
  std::shared_ptr<const configure::ConfigData> readFile(bool highBitFirst) const;

  /// Reads the file and makes everything ready. Null where something is missing; problem() says what.
  std::shared_ptr<run::ConfigureJob> prepare(std::uint32_t clockHz);
  /// Where what is read out goes; only a "read" has one.
  QString output() const { return output_; }
  void setOutput(const QString& path);

  QString goText() const;

 signals:
  void changed();  ///< another part, action, choice or file: everything has to be planned anew

 private:
  void refresh();
  run::ConfigureWish wish() const;
  std::optional<Placement> placement() const;

  SheetDocument& document_;
  std::size_t position_ = 0;
  bench::DeviceConfigPtr config_;
  std::vector<run::DeviceAction> actions_;
  std::size_t action_ = 0;
  std::map<std::string, bool> choices_;
  std::set<std::string> taken_;  // of choice, and done because of what the file has
  QString usercode_, output_, problem_;
  std::shared_ptr<const configure::ConfigData> data_;
};

}  // namespace imprimo::app
