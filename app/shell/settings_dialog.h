// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>
#include <QGridLayout>
#include <QLabel>
#include <functional>
#include <vector>

namespace imprimo::app {

struct SettingWords;

/// All that can be chosen, on one page: what it is, where it is kept, and back to what it is without a choice. Each is
/// taken as soon as it makes sense.
class SettingsDialog : public QDialog {
  Q_OBJECT
 public:
  explicit SettingsDialog(QWidget* parent = nullptr);

 signals:
  void changed(const QString& key);

 private:
  struct Row {
    std::string key;
    QWidget* field;
    QWidget* reset;
    QLabel* trouble;
  };
  void addRow(QGridLayout* grid, int at, const SettingWords& words);
  void take(std::size_t row, const QString& value);
  /// Does it, and says beside the row why that cannot be.
  void change(std::size_t row, const std::function<void()>& act);
  void refresh();

  std::vector<Row> rows_;
};

}  // namespace imprimo::app
