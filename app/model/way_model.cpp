// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/way_model.h"

#include <algorithm>

#include "app/session/help_words.h"
#include "core/base/json.h"
#include "core/sheet/sheet_changes.h"

namespace imprimo::app {

using State = WayModel::Offer::State;

WayModel::WayModel(SheetDocument& document, LinkModel& link, BenchSession& session, LibraryModel& library,
                   BoardNeeds& needs, QObject* parent)
    : QObject(parent), document_(document), link_(link), session_(session), library_(library), needs_(needs) {
  connect(&library_, &LibraryModel::changed, this, &WayModel::propose);
  connect(&document_, &SheetDocument::opened, this, &WayModel::end);
  connect(&document_, &SheetDocument::rebuilt, this, &WayModel::end);
  connect(&link_, &LinkModel::reported, this, &WayModel::askNext);
}

QString WayModel::deviceName() const {
  return position_ == 0 ? QString() : QString::fromStdString(document_.sheet().chain.at(position_ - 1).name);
}

void WayModel::begin(std::size_t position) {
  position_ = position <= document_.sheet().chain.size() ? position : 0;
  chosen_ = 0;
  picked_ = named_ = false;
  offers_.clear();
  if (!library_.isRead()) library_.refresh();
  propose();
}

void WayModel::end() {
  if (position_ == 0) return;
  position_ = 0;
  ++turn_;
  offers_.clear();
  emit changed();
}

void WayModel::propose() {
  if (position_ == 0) return;
  ++turn_;
  offers_.clear();
  // What would be sent could reach another device.
  const bool placed = needs_.isPlaced(position_);
  try {
    for (discover::Way& way : discover::waysOf(document_.sheet(), position_, library_.catalog())) {
      if (!placed) break;
      offers_.push_back({std::move(way), State::NotAsked, {}});
    }
  } catch (const Error& e) {
    emit message(told(e), true);
  }
  chosen_ = std::min(chosen_, offers_.empty() ? 0 : offers_.size() - 1);
  choose(chosen_);
  picked_ = false;
  askNext();
}

bool WayModel::isAsking() const {
  return std::any_of(offers_.begin(), offers_.end(), [](const Offer& o) { return o.state == State::Asking; });
}

/// One after another, those that are asked by themselves.
void WayModel::askNext() {
  if (position_ == 0 || isAsking() || !link_.isConnected()) return;
  for (std::size_t i = 0; i < offers_.size(); ++i) {
    if (offers_[i].way.harmless && offers_[i].state == State::NotAsked) return ask(i);
  }
}

void WayModel::ask(std::size_t index) {
  Offer& offer = offers_.at(index);
  if (offer.way.kind == discover::Way::Kind::Pins) {
    emit wiresWanted(name_, position_);
    return;
  }
  if (offer.way.memory.empty() || !link_.isConnected() || isAsking() || session_.isBusy()) return;
  offer.state = State::Asking;
  emit changed();
  session_.ask(this, [this, index, turn = turn_, way = offer.way](bench::Bench& bench) -> std::function<void()> {
    discover::WayAnswer answer;
    try {
      answer = discover::tryWay(bench, way);
    } catch (const Error& e) {
      answer.words = e.full();  // the link is gone: whoever needs it next tells of it
    }
    return [this, index, turn, answer] {
      if (turn == turn_) take(index, answer);
    };
  });
}

void WayModel::take(std::size_t index, const discover::WayAnswer& answer) {
  Offer& offer = offers_.at(index);
  offer.words = QString::fromStdString(answer.words);
  offer.state = answer.state == discover::WayAnswer::State::Answers        ? State::Answers
                : answer.state == discover::WayAnswer::State::NeedsLoading ? State::NeedsLoading
                                                                           : State::Silent;
  // The first that answers is one key away.
  if (!picked_ && offer.state == State::Answers && offers_[chosen_].state != State::Answers) {
    choose(index);
    picked_ = false;
  }
  emit changed();
  askNext();
}

void WayModel::choose(std::size_t index) {
  if (index >= offers_.size()) {
    emit changed();
    return;
  }
  chosen_ = index;
  picked_ = true;
  if (!named_) {
    const std::string& wish = offers_[index].way.name;
    name_ = wish.empty()
                ? QString()
                : QString::fromStdString(sheet::freeName(sheet::sheetJson(document_.sheet()), "memories", wish));
  }
  emit changed();
}

void WayModel::setName(const QString& name) {
  named_ = true;
  name_ = name;
  emit changed();
}

QString WayModel::trouble() const {
  if (offers_.empty()) {
    if (position_ == 0) return {};
    if (!needs_.isPlaced(position_))
      return tr("Where %1 begins on the chain is not certain while lengths beside it are guesses: give one of those "
                "devices its BSDL file, or type its length.")
          .arg(deviceName());
    return document_.sheet().chain[position_ - 1].description
               ? tr("Neither its description nor the library says how a memory could be reached through it. A bridge "
                    "card or a core card for it can be dropped anywhere on the window.")
               : tr("Its BSDL file is needed first: it says what could lead to a memory.");
  }
  if (offers_[chosen_].way.kind == discover::Way::Kind::Direct) return {};
  if (name_.trimmed().isEmpty()) return tr("The memory needs a name.");
  for (const sheet::MemoryEntry& entry : document_.sheet().memories) {
    if (entry.name == name_.trimmed().toStdString())
      return tr("The sheet has a memory named %1 already.").arg(name_.trimmed());
  }
  return {};
}

QString WayModel::goText() const {
  if (offers_.empty()) return tr("Add a memory");
  switch (offers_[chosen_].way.kind) {
    case discover::Way::Kind::Pins:
      return tr("Find the wires of %1…").arg(name_.trimmed());
    case discover::Way::Kind::Direct:
      return tr("Configure %1 directly").arg(deviceName());
    default:
      return tr("Add %1").arg(name_.trimmed());
  }
}

bool WayModel::canGo() const {
  return position_ != 0 && !offers_.empty() && trouble().isEmpty() && !session_.isBusy();
}

void WayModel::go() {
  if (!canGo()) return;
  const discover::Way way = offers_[chosen_].way;
  const std::size_t position = position_;
  const QString name = name_.trimmed();
  if (way.kind == discover::Way::Kind::Pins) {
    emit wiresWanted(name, position);
    return;
  }
  if (way.kind == discover::Way::Kind::Direct) {
    end();
    emit deviceWanted(position);
    return;
  }
  try {
    document_.replace(tr("memory %1").arg(name), discover::withWay(document_.sheet(), way, name.toStdString()));
    end();
    emit added(name);
  } catch (const Error& e) {
    emit message(told(e), true);
  }
}

}  // namespace imprimo::app
