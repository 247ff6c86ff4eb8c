// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/heard/heard_tree.h"

#include <QElapsedTimer>
#include <QThread>
#undef signals
#include <atspi/atspi.h>

#include <algorithm>
#include <map>

namespace imprimo::test {
namespace {

QString take(gchar* text) {
  QString taken = QString::fromUtf8(text);
  g_free(text);
  return taken;
}

/// Errors are those of things that are gone meanwhile.
struct Ignored {
  GError* error = nullptr;
  ~Ignored() { g_clear_error(&error); }
};

bool has(_AtspiAccessible* object, AtspiStateType state) {
  AtspiStateSet* states = atspi_accessible_get_state_set(object);
  const bool there = states != nullptr && atspi_state_set_contains(states, state) != 0;
  if (states != nullptr) g_object_unref(states);
  return there;
}

}  // namespace

Heard::Heard(_AtspiAccessible* object)
    : object_(object, [](_AtspiAccessible* o) {
        if (o != nullptr) g_object_unref(o);
      }) {}

QString Heard::name() const {
  Ignored e;
  return take(atspi_accessible_get_name(object_.get(), &e.error));
}

QString Heard::role() const {
  Ignored e;
  return take(atspi_accessible_get_role_name(object_.get(), &e.error));
}

bool Heard::isShowing() const {
  return has(object_.get(), ATSPI_STATE_SHOWING);
}

bool Heard::isFocusable() const {
  return has(object_.get(), ATSPI_STATE_FOCUSABLE) && has(object_.get(), ATSPI_STATE_ENABLED);
}

int Heard::childCount() const {
  Ignored e;
  return atspi_accessible_get_child_count(object_.get(), &e.error);
}

std::vector<Heard> Heard::children(int most) const {
  std::vector<Heard> all;
  for (int i = 0, count = std::min(childCount(), most); i < count; ++i) {
    Ignored e;
    if (AtspiAccessible* child = atspi_accessible_get_child_at_index(object_.get(), i, &e.error))
      all.emplace_back(child);
  }
  return all;
}

bool Heard::press() const {
  AtspiAction* action = atspi_accessible_get_action_iface(object_.get());
  if (action == nullptr) return false;
  Ignored e;
  const bool done = atspi_action_do_action(action, 0, &e.error) != 0;
  g_object_unref(action);
  return done;
}

std::optional<Heard> Heard::find(const QString& name, const QString& role) const {
  if (this->name().startsWith(name) && (role.isEmpty() || this->role() == role) && isShowing()) return *this;
  for (const Heard& child : children()) {
    if (const auto found = child.find(name, role)) return found;
  }
  return std::nullopt;
}

std::optional<Heard> heardProgram(const QString& name, int milliseconds) {
  static const int ready = atspi_init();
  if (ready != 0) return std::nullopt;
  QElapsedTimer waited;
  waited.start();
  while (waited.elapsed() < milliseconds) {
    const Heard desktop(atspi_get_desktop(0));
    for (const Heard& program : desktop.children()) {
      if (program.name() == name && program.childCount() > 0) return program;
    }
    QThread::msleep(100);
  }
  return std::nullopt;
}

struct Ears::State {
  AtspiEventListener* listener = nullptr;
  int heard = 0;
  std::map<QString, int> kinds;
  QStringList focused;
};

Ears::Ears() : state_(std::make_unique<State>()) {
  state_->listener = atspi_event_listener_new(
      [](AtspiEvent* event, void* state) {
        auto* to = static_cast<State*>(state);
        // Qt tells of what is enabled in two words.
        const QString type = QString::fromUtf8(event->type);
        if (type == "object:state-changed:enabled") {
          g_boxed_free(ATSPI_TYPE_EVENT, event);
          return;
        }
        ++to->heard;
        Ignored e;
        if (type == "object:state-changed:focused" && event->detail1 != 0)
          to->focused += take(atspi_accessible_get_name(event->source, nullptr));
        ++to->kinds[QString("%1 of %2 '%3'")
                        .arg(QString::fromUtf8(event->type),
                             take(atspi_accessible_get_role_name(event->source, &e.error)),
                             take(atspi_accessible_get_name(event->source, nullptr)).left(50))];
        g_boxed_free(ATSPI_TYPE_EVENT, event);
      },
      state_.get(), nullptr);
  Ignored e;
  atspi_event_listener_register(state_->listener, "object:", &e.error);
}

Ears::~Ears() {
  Ignored e;
  atspi_event_listener_deregister(state_->listener, "object:", &e.error);
  g_object_unref(state_->listener);
}

int Ears::of(const QString& name) const {
  int count = 0;
  for (const auto& [kind, times] : state_->kinds) count += kind.endsWith("'" + name + "'") ? times : 0;
  return count;
}

QStringList Ears::focused() const {
  heard();
  return state_->focused;
}

QString Ears::most() const {
  std::vector<std::pair<int, QString>> sorted;
  for (const auto& [kind, count] : state_->kinds) sorted.emplace_back(-count, kind);
  std::sort(sorted.begin(), sorted.end());
  QStringList lines;
  for (std::size_t i = 0; i < sorted.size() && i < 90; ++i)
    lines += QString("%1 × %2").arg(-sorted[i].first).arg(sorted[i].second);
  return lines.join('\n');
}

int Ears::heard() const {
  while (g_main_context_iteration(nullptr, FALSE) != 0) {
  }
  return state_->heard;
}

}  // namespace imprimo::test
