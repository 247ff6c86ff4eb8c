// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

namespace imprimo::app {

/// Tells when the program takes another theme, for whoever keeps colours of it: pens of curves, style sheets of a row.
/// What is painted from Theme::current() each time needs none of this.
class ThemeNotice : public QObject {
  Q_OBJECT
 public:
  static ThemeNotice& get();

 signals:
  void changed();
};

}  // namespace imprimo::app
