// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QPainter>

#include "app/look/theme.h"
#include "core/image/image_file.h"

namespace imprimo::app {

/// A format that an image can be saved in, as it is offered.
struct FormatEntry {
  const char* label;
  ImageFormat format;
  int bits;
};
inline constexpr FormatEntry kFormats[] = {{"raw binary", ImageFormat::Raw, 32},
                                           {"Intel HEX, 32-bit addresses", ImageFormat::IntelHex, 32},
                                           {"Intel HEX, 20-bit addresses", ImageFormat::IntelHex, 20},
                                           {"Intel HEX, 16-bit addresses", ImageFormat::IntelHex, 16},
                                           {"S-records, 32-bit addresses", ImageFormat::Motorola, 32},
                                           {"S-records, 24-bit addresses", ImageFormat::Motorola, 24},
                                           {"S-records, 16-bit addresses", ImageFormat::Motorola, 16}};

/// A combo box with an arrow of ours: the style's own does not follow the theme.
class Choice : public QComboBox {
 public:
  using QComboBox::QComboBox;

 protected:
  void paintEvent(QPaintEvent* event) override {
    QComboBox::paintEvent(event);
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(Theme::current().muted);
    const QPointF at(width() - 12, height() / 2.0);
    p.drawPolygon(QPolygonF({at + QPointF(-4, -2), at + QPointF(4, -2), at + QPointF(0, 3)}));
  }
};

}  // namespace imprimo::app
