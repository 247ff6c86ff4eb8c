// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rail/rail_items.h"

#include <QCoreApplication>
#include <algorithm>

#include "app/look/theme.h"
#include "core/base/number.h"
#include "core/sheet/core_route.h"

namespace imprimo::app {
namespace {

constexpr int kMemoryLeft = 42;
constexpr int kDeviceHeight = 46, kMemoryHeight = 54, kTroubleHeight = 16, kIdsHeight = 32, kCutGap = 24;
constexpr int kFirstTop = 26, kNeedsHeight = 48, kAddHeight = 30;

QString tr(const char* text) {
  return QCoreApplication::translate("ChainRail", text);
}

QString idText(const std::optional<std::uint32_t>& idcode) {
  return idcode ? QString::fromStdString(hexIdcode(*idcode)) : tr("no IDCODE");
}

/// What a chain that does not hold together says of position i.
void takeBroken(RailItem& item, std::size_t i, const jtag::BrokenChain& broken) {
  item.state = RailItem::Silent;
  if (!broken.breakBehind || i < *broken.breakBehind) {
    item.trouble = broken.dead() || broken.breakBehind ? tr("nothing comes from it") : QString();
    return;
  }
  const std::size_t near = i - *broken.breakBehind;
  item.state = RailItem::Agrees;
  if (near < broken.nearTdo.size()) item.detail = tr("%1  answers").arg(idText(broken.nearTdo[near].idcode));
}

QString stateText(debug::CoreState state) {
  switch (state) {
    case debug::CoreState::Running:
      return tr("● runs");
    case debug::CoreState::Halted:
      return tr("❚❚ halted");
    case debug::CoreState::Sleeping:
      return tr("○ sleeps");
    case debug::CoreState::LockedUp:
      return tr("locked up");
    case debug::CoreState::InReset:
      return tr("in reset");
  }
  return {};
}

/// A shape and a word: how it was when it was sampled last.
QString verdictText(debug::CoreWatch::Verdict verdict) {
  using Verdict = debug::CoreWatch::Verdict;
  switch (verdict) {
    case Verdict::Runs:
      return stateText(debug::CoreState::Running);
    case Verdict::Sleeps:
      return stateText(debug::CoreState::Sleeping);
    case Verdict::Halted:
      return stateText(debug::CoreState::Halted);
    case Verdict::Fault:
      return tr("▲ fault");
    case Verdict::LockedUp:
      return tr("▲ locked up");
    case Verdict::InReset:
      return tr("in reset");
    case Verdict::Resets:
      return tr("▲ resets");
    case Verdict::NoVectors:
      return tr("▲ empty");
  }
  return {};
}

/// What a device of a sheet that is being made still lacks.
void takeNeeds(RailItem& item, Workbench& bench) {
  const BoardNeeds::Need need = bench.needs().of(item.position);
  // In a sheet that is being made, each device that has no description says so.
  if (!need.any() && !(need.description && bench.document().isNew())) return;
  const QString bounds = bench.needs().bounds(item.position);
  if (need.length && !bounds.isEmpty()) item.right = tr("IR %1").arg(bounds);
  item.needsLength = need.length;
  item.length = QString::number(bench.document().sheet().chain[item.position - 1].irLength);
  item.needsWrong = !need.trouble.isEmpty();
  item.needs = item.needsWrong            ? need.trouble
               : need.fitting.size() > 1  ? tr("%1 BSDL files fit: choose one").arg(need.fitting.size())
               : need.length              ? tr("drop its BSDL file here, or type its length:")
               : need.fitting.size() == 1 ? tr("a BSDL file of the library fits: take it")
                                          : tr("drop its BSDL file here; without it, it is only passed by");
}

RailItem addItem(std::size_t position) {
  RailItem item;
  item.kind = RailItem::Add;
  item.position = position;
  item.title = tr("+ a memory behind it");
  return item;
}

RailItem deviceItem(Workbench& bench, std::size_t i) {
  const sheet::Sheet& sheet = bench.document().sheet();
  const auto& report = bench.link().report();
  RailItem item;
  item.position = i + 1;
  if (i < sheet.chain.size()) {
    const sheet::Device& device = sheet.chain[i];
    item.title = QString::fromStdString(device.name);
    item.right = QString("IR %1").arg(device.irLength);
    item.detail =
        device.idcodes.empty() ? tr("any IDCODE") : QString::fromStdString(jtag::patternText(device.idcodes.front()));
  } else {
    item.title = tr("not in the sheet");
  }
  takeNeeds(item, bench);
  if (report && report->broken) takeBroken(item, i, *report->broken);
  if (!report || i >= report->rows.size()) return item;
  const jtag::DeviceComparison& row = report->rows[i];
  item.state = row.agrees ? RailItem::Agrees : RailItem::Differs;
  if (i >= report->chain.devices.size()) {
    item.trouble = tr("missing");
    return item;
  }
  const jtag::FoundDevice& found = report->chain.devices[i];
  if (row.agrees) {
    item.detail =
        found.idcode ? QString("%1  v%2").arg(idText(found.idcode)).arg(*found.idcode >> 28) : idText(found.idcode);
    if (!found.remarks.empty()) item.trouble = tr("unexpected response, see details");
    if (const bench::DeviceReport* device = bench.link().deviceReport(i + 1); device != nullptr && device->runs)
      item.right = *device->runs ? tr("● runs") : tr("○ no design");
  } else if (row.fields.any()) {
    item.expectedId = row.expectedId;
    item.foundId = row.foundId;
    item.fields = row.fields;
    item.trouble = QString::fromStdString(row.fields.text());
    item.detail.clear();
  } else {
    item.trouble = tr("found %1").arg(idText(found.idcode));
  }
  return item;
}

RailItem coreItem(Workbench& bench, const sheet::CoreEntry& core) {
  RailItem item;
  item.kind = RailItem::Core;
  item.core = core.name;
  item.title = QString::fromStdString(core.name);
  item.onChain = core.port == sheet::CoreEntry::Port::Jtag;
  item.detail = item.onChain ? tr("a core on JTAG") : tr("a core on SWD");
  const auto& report = bench.link().report();
  if (!report) return item;
  const auto found = report->cores.find(core.name);
  if (found == report->cores.end()) {
    if (report->error) item.state = RailItem::Silent;
    if (report->coreErrors.contains(core.name)) {
      item.state = RailItem::Differs;
      item.trouble = tr("does not answer");
    }
    return item;
  }
  if (found->second.locked) {
    item.state = RailItem::Differs;
    item.right = tr("■ locked");
    item.detail = tr("its memory is closed");
    return item;
  }
  if (found->second.notStarted) {
    item.right = tr("not started");
    item.detail = tr("off until %1 starts it").arg(QString::fromStdString(core.startedBy->core));
    return item;
  }
  item.state = found->second.isTheCards ? RailItem::Agrees : RailItem::Differs;
  item.detail = QString::fromStdString(debug::cpuidText(found->second.cpuid)).section(" ", 0, 0);
  if (found->second.pc) item.detail += QString(" · 0x%1").arg(*found->second.pc, 8, 16, QChar('0'));
  item.right = found->second.fault ? verdictText(debug::CoreWatch::Verdict::Fault) : stateText(found->second.state);
  if (const debug::CoreWatch* watch = bench.link().watched(core.name)) {
    item.right = verdictText(watch->verdict);
    item.detail = item.detail.section(" · ", 0, 0);
    if (!watch->places.empty()) item.detail += QString(" · 0x%1").arg(watch->places.front().pc, 8, 16, QChar('0'));
  }
  if (!found->second.isTheCards) item.trouble = tr("another chip than the card's");
  return item;
}

RailItem memoryItem(Workbench& bench, const sheet::MemoryEntry& entry) {
  RailItem item;
  item.kind = RailItem::Memory;
  item.memory = entry.name;
  item.title = QString::fromStdString(entry.name);
  item.detail = QString::fromStdString(entry.route->words());
  const auto& report = bench.link().report();
  if (report) {
    if (const auto found = report->memories.find(entry.name); found != report->memories.end()) {
      item.state = RailItem::Agrees;
      item.right = QString::fromStdString(sizeText(found->second.geometry.size));
    }
    if (report->unloaded.contains(entry.name)) {
      item.state = RailItem::Unknown;
      item.detail = tr("needs its bridge loaded");
    }
    if (report->memoryErrors.contains(entry.name)) {
      item.state = RailItem::Differs;
      const sheet::CoreRoute* way = sheet::coreRoute(*entry.route);
      const auto core = way != nullptr ? report->cores.find(way->core) : report->cores.end();
      item.trouble = core != report->cores.end() && core->second.locked ? tr("closed") : tr("does not answer");
    }
  }
  if (entry.name == bench.memory() && !bench.looks().empty()) {
    const auto& looks = bench.looks().looks();
    const auto count = [&](BlockLook look) {
      return static_cast<double>(std::count(looks.begin(), looks.end(), look));
    };
    const double planned = count(BlockLook::Agrees) + count(BlockLook::PlannedUnread) + count(BlockLook::Differs) +
                           count(BlockLook::WillErase) + count(BlockLook::SharedErase);
    if (item.right.isEmpty()) item.right = QString::fromStdString(sizeText(bench.looks().geometry().size));
    if (planned > 0) {
      item.agreeing = count(BlockLook::Agrees) / planned;
      item.differing =
          (count(BlockLook::Differs) + count(BlockLook::WillErase) + count(BlockLook::SharedErase)) / planned;
    }
  }
  return item;
}

}  // namespace

QRect titleRect(const RailItem& item) {
  return {item.rect.left() + 5, item.rect.top() + 3, item.rect.width() - 60, 22};
}

const RailItem* RailLayout::at(QPoint point) const {
  const auto it = std::find_if(items.begin(), items.end(), [&](const RailItem& i) { return i.rect.contains(point); });
  return it == items.end() ? nullptr : &*it;
}

RailLayout layOutRail(Workbench& bench) {
  RailLayout rail;
  const sheet::Sheet& sheet = bench.document().sheet();
  const auto& report = bench.link().report();
  const std::size_t devices = std::max(sheet.chain.size(), report ? report->chain.devices.size() : 0);
  const auto cut = report && report->broken ? report->broken->breakBehind : std::nullopt;
  int top = kFirstTop;
  const auto place = [&](RailItem item, int left, int height, int gap) {
    height += (item.trouble.isEmpty() ? 0 : kTroubleHeight) + (item.expectedId ? kIdsHeight - kTroubleHeight : 0);
    const int plain = height;
    if (!item.needs.isEmpty()) height += kNeedsHeight;
    item.rect = QRect(left, top, measure::kRailWidth - left - 2, height);
    if (!item.needs.isEmpty()) {
      item.needsRect = QRect(left + 7, top + plain - 4, item.rect.width() - 14, kNeedsHeight - 2);
      if (item.needsLength) item.lengthRect = QRect(item.needsRect.right() - 37, item.needsRect.bottom() - 22, 32, 20);
    }
    top += height + gap;
    rail.items.push_back(std::move(item));
  };
  const auto placeWith = [&](RailItem stop, const std::vector<const sheet::MemoryEntry*>& hanging) {
    place(std::move(stop), kRailDeviceLeft, kDeviceHeight, hanging.empty() ? 14 : 5);
    for (const sheet::MemoryEntry* entry : hanging)
      place(memoryItem(bench, *entry), kMemoryLeft, kMemoryHeight, entry == hanging.back() ? 14 : 5);
  };
  // Those on a chain follow the device that is their debug port, those on SWD come last.
  const auto placeCores = [&](std::size_t position) {
    for (const sheet::CoreEntry& core : sheet.cores) {
      if (core.position != position) continue;
      std::vector<const sheet::MemoryEntry*> hanging;
      for (const sheet::MemoryEntry& entry : sheet.memories) {
        const sheet::CoreRoute* route = sheet::coreRoute(*entry.route);
        if (route != nullptr && route->core == core.name) hanging.push_back(&entry);
      }
      placeWith(coreItem(bench, core), hanging);
    }
  };
  const auto markCut = [&](std::size_t behind) {
    if (cut != behind) return;
    rail.cutAt = top + (behind == 0 ? 4 : 0);
    top += kCutGap;
  };
  for (std::size_t i = 0; i < devices; ++i) {
    markCut(i);
    std::vector<const sheet::MemoryEntry*> hanging;
    for (const sheet::MemoryEntry& entry : sheet.memories) {
      const std::size_t position = entry.route->position;
      if (position == i + 1) hanging.push_back(&entry);
    }
    placeWith(deviceItem(bench, i), hanging);
    if (i + 1 == bench.device().position() && i < sheet.chain.size() && !bench.run().isRunning())
      place(addItem(i + 1), kMemoryLeft, kAddHeight, 14);
    placeCores(i + 1);
  }
  markCut(devices);
  placeCores(0);
  rail.bottom = top;
  return rail;
}

IdcodeText idcodeText(std::uint32_t code, std::uint32_t mask) {
  QString digits;
  for (int i = 7; i >= 0; --i) {
    digits += (mask >> (4 * i) & 0xF) != 0xF ? QString("?") : QString::number(code >> (4 * i) & 0xF, 16).toUpper();
  }
  return {digits.left(1), digits.mid(1, 4), digits.mid(5)};
}

}  // namespace imprimo::app
