// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "core/sheet/sheet.h"

namespace imprimo::sheet {

/// A value's place in a sheet: keys of objects and indices of lists.
class Place {
 public:
  using Step = std::variant<std::string, std::size_t>;
  Place() = default;
  Place(std::initializer_list<Step> steps) : steps_(steps) {}

  const std::vector<Step>& steps() const { return steps_; }
  Place operator/(Step step) const;
  /// "memories[1].route.cs", as errors have it.
  std::string text() const;
  /// "memories[].route.cs", as keysAt() has it.
  std::string kind() const;
  friend bool operator==(const Place&, const Place&) = default;

 private:
  std::vector<Step> steps_;
};

using SheetJson = nlohmann::ordered_json;

/// The sheet that is `root`, written in the layout of `like`, whose descriptions are not read again. Throws BadFile:
/// BadValue or BadReference where it is one value.
Sheet sheetOf(const SheetJson& root, const Sheet& like);

/// Null where there is no such value.
const SheetJson* valueAt(const SheetJson& root, const Place& place);
/// Sets a value, in objects and lists that are made where they are missing; one behind a list's last is added. A name
/// that others refer to is changed in them too.
void setValue(SheetJson& root, const Place& place, SheetJson value);
/// Takes a key or an entry away, an object that is empty then too, and with a device, core or memory all that refers to
/// it.
void removeValue(SheetJson& root, const Place& place);
/// Moves an entry of a list. Both indices are of the list as it is.
void moveEntry(SheetJson& root, const Place& list, std::size_t from, std::size_t to);

/// "tarn-t40" for an entity TARN_T40.
std::string nameFromEntity(const std::string& entity);

/// A name that the list does not have yet: `wish`, or with a number behind it.
std::string freeName(const SheetJson& root, const std::string& list, const std::string& wish);

/// Where lengths of the chain are assumed, they are changed so that all together are `total` again; the only one that
/// is left is no guess any more.
void fitAssumedLengths(SheetJson& root, const std::vector<Device>& chain, std::uint32_t total);

/// A value as somebody types it, for a key of `keysAt(place.kind())`: numbers where the sheet has numbers, texts else.
SheetJson valueTyped(const Place& place, const std::string& text);
/// The other way: as it stands on a page.
std::string valueText(const SheetJson& value);

}  // namespace imprimo::sheet
