// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QRect>
#include <QString>
#include <optional>
#include <vector>

#include "app/model/workbench.h"

namespace imprimo::app {

inline constexpr int kRailDeviceLeft = 30;  ///< where devices begin; the line is left of them

/// The chain as a rail, TDI at the top: each part a stop, each memory hanging from the part it is reached through.
/// Cores are stops of their own. A plain description; painting, hit testing and keys read the same one.
struct RailItem {
  enum Kind {
    Device,
    Core,
    Memory,
    Add,  ///< what can be added to the device that is looked at
  } kind = Device;
  enum State {
    Unknown,  ///< nothing is connected
    Agrees,   ///< it answers, and is what the sheet has here
    Differs,  ///< another part answers here, or the memory does not
    Silent,   ///< nothing came from it: the chain is cut in front of TDO, or dead
  } state = Unknown;
  QString title, right, detail, trouble;
  std::size_t position = 0;  ///< of a part
  std::string core;          ///< of a core, its name
  bool onChain = false;      ///< it is reached by JTAG
  std::string memory;        ///< of a memory
  /// Both IDCODEs, where they differ, to be taken apart field by field.
  std::optional<bsdl::Pattern> expectedId;
  std::optional<std::uint32_t> foundId;
  jtag::FieldDifference fields;
  double agreeing = 0, differing = 0;  ///< shares of what is planned in a memory
  QString needs;                       ///< what a device lacks, and how it gets it; empty: nothing
  bool needsLength = false;            ///< its length can be typed in `lengthRect`
  bool needsWrong = false;             ///< `needs` says what is wrong with what it got
  QString length;
  QRect rect, needsRect, lengthRect;

  /// The same thing in another layout of the rail.
  bool isSame(const RailItem& other) const {
    return kind == other.kind && position == other.position && core == other.core && memory == other.memory;
  }
};

struct RailLayout {
  std::vector<RailItem> items;
  std::optional<int> cutAt;  ///< height at which the chain is cut
  int bottom = 0;            ///< where TDO leaves
  const RailItem* at(QPoint point) const;
};

/// The place of an item's title, for typing over it.
QRect titleRect(const RailItem& item);

/// Parts and memories from the sheet, and what of them was found.
RailLayout layOutRail(Workbench& bench);

/// An IDCODE in its fields, "1 F40A FFD": version, part number, maker with the last bit. Digits that do not matter
/// are '?'.
struct IdcodeText {
  QString version, partNumber, maker;
};
IdcodeText idcodeText(std::uint32_t code, std::uint32_t mask = UINT32_MAX);

}  // namespace imprimo::app
