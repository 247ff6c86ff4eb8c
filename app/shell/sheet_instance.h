// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QString>

namespace imprimo::app {

/// Which window has a sheet, known to every other one over the bus of the session: a sheet that is opened again brings
/// its window to the front. Without a bus each window is alone.
class SheetInstance : public QObject {
  Q_OBJECT
  Q_CLASSINFO("D-Bus Interface", "org.imprimo.Sheet")
 public:
  explicit SheetInstance(QObject* parent = nullptr);
  ~SheetInstance() override;

  /// Asks the window that has this sheet to come to the front. False: none has.
  static bool bringOther(const QString& path);
  /// This window has that sheet now, and no longer the one before; an empty path: none.
  void have(const QString& path);

 public slots:
  Q_SCRIPTABLE void bringToFront() { emit asked(); }

 signals:
  void asked();

 private:
  QString service_;
};

}  // namespace imprimo::app
