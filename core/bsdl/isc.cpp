// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bsdl/isc.h"

#include <algorithm>

#include "core/bsdl/lexer.h"

namespace imprimo::bsdl {
namespace {

bool same(const IscName& a, const IscName& b) {
  return sameWord(a.name, b.name) && sameWord(a.data, b.data);
}

template <typename Item>
const Item* find(const std::vector<Item>& items, const IscName& name) {
  const auto it = std::find_if(items.begin(), items.end(), [&](const Item& i) { return same(i.name, name); });
  return it == items.end() ? nullptr : &*it;
}

bool anyInput(const std::vector<IscField>& fields) {
  return std::any_of(fields.begin(), fields.end(), [](const IscField& f) {
    return f.value.kind == IscValue::Kind::Input || f.value.setFromInput ||
           (f.mask && f.mask->kind == IscValue::Kind::Input);
  });
}

template <typename Test>
bool anyActivity(const IscFlow& flow, Test&& test) {
  for (const auto* blocks : {&flow.blocks, &flow.last}) {
    for (const IscBlock& block : *blocks) {
      for (const IscElement& element : block.elements) {
        if (std::any_of(element.activities.begin(), element.activities.end(), test)) return true;
      }
    }
  }
  return false;
}

}  // namespace

bool IscFlow::takesInput() const {
  return anyActivity(*this, [](const IscActivity& a) { return anyInput(a.updates) || anyInput(a.captures); });
}

bool IscFlow::writesInput() const {
  return anyActivity(*this, [](const IscActivity& a) { return anyInput(a.updates); });
}

bool IscFlow::givesOutput() const {
  return anyActivity(*this, [](const IscActivity& a) {
    return std::any_of(a.captures.begin(), a.captures.end(), [](const IscField& f) { return f.output; });
  });
}

bool IscFlow::changes() const {
  return anyActivity(*this, [](const IscActivity& a) {
    const std::string upper = upperCase(a.instruction);
    return upper.find("ERASE") != std::string::npos || upper.find("PROGRAM") != std::string::npos;
  });
}

const IscFlow* IscDescription::flow(const IscName& name) const {
  return find(flows, name);
}
const IscProcedure* IscDescription::procedure(const IscName& name) const {
  return find(procedures, name);
}
const IscAction* IscDescription::action(std::string_view name, std::string_view data) const {
  return find(actions, {std::string(name), std::string(data)});
}

}  // namespace imprimo::bsdl
