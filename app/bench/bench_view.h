// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCheckBox>
#include <QLabel>
#include <QPointer>
#include <QStackedWidget>
#include <QToolButton>

#include "app/bench/byte_zip.h"
#include "app/bench/sector_map.h"
#include "app/look/elided_label.h"
#include "app/model/workbench.h"
#include "app/rail/chain_rail.h"
#include "app/shell/view.h"

namespace imprimo::app {

/// The hardware in front of you: chain, map, bytes, what goes in and what will happen. Without a sheet: how to begin.
class BenchView : public QStackedWidget, public View {
  Q_OBJECT
 public:
  /// `openAction` and `startAction` are offered while no sheet is open.
  BenchView(Workbench& bench, QAction* openAction, QAction* startAction, QWidget* parent = nullptr);

  QWidget* widget() override { return this; }
  QList<QAction*> actions() const override;
  QList<QWidget*> panes() override;
  QList<KeyWords> keyWords() const override;

 private:
  QWidget* benchPage();
  QWidget* leftColumn();
  QWidget* middleColumn();
  QWidget* memoryPage();
  QWidget* bridgePage();
  void showSubject();
  QWidget* rightColumn();
  QWidget* workColumn();
  void refreshHeads();
  /// While a run goes on, keys that were on what cannot be used then are on the button, and go back afterwards.
  void keysDuringRuns();
  void keepMarked();
  void tellDifference(quint64 address);
  void showIntent();

  Workbench& bench_;
  QLabel* chainHeading_ = nullptr;
  QLabel* chainFigure_ = nullptr;
  QLabel* memoryName_ = nullptr;
  ElidedLabel* memoryFigure_ = nullptr;
  QStackedWidget *middle_ = nullptr, *right_ = nullptr;
  QLabel* bridgeWords_ = nullptr;
  ElidedLabel* halves_ = nullptr;
  QToolButton* bridge_ = nullptr;
  QWidget *device_ = nullptr, *tabs_ = nullptr;
  QToolButton *writeTab_ = nullptr, *eraseTab_ = nullptr;
  QCheckBox* noErase_ = nullptr;
  QWidget *goesIn_ = nullptr, *goes_ = nullptr;
  MapLegend* legend_ = nullptr;
  QWidget* left_ = nullptr;
  QPointer<QWidget> away_;  // had the keys when the run began
  ChainRail* rail_ = nullptr;
  SectorMap* map_ = nullptr;
  ByteZip* bytes_ = nullptr;
};

View* makeBenchView(const ViewContext& context, QWidget* parent);

}  // namespace imprimo::app
