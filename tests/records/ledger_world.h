// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTemporaryDir>

#include "core/base/json_text.h"
#include "core/units/definition_reader.h"
#include "records/ledger.h"

namespace imprimo::test {

/// `units` of a sheet as JSON text, read with a memory "boot-flash" and a core "supervisor".
inline units::Definition definitionOf(const std::string& json) {
  const JsonText text = JsonText::parse(json, "units.json");
  const auto named = [](const char* name) {
    return [name](const JsonNode& node) {
      if (node.string() != name) node.fail("is none");
      return node.string();
    };
  };
  return units::readDefinition(JsonNode(text),
                               {[](const JsonNode&, std::string_view) {}, named("boot-flash"), named("supervisor")});
}

/// Serial number, MAC address, a label made of both, and a secret key.
inline std::string gaugeUnits(const std::string& last = "1999", const std::string& more = "") {
  return R"x({"ledger": "gauge-2026", "fields": [
    {"name": "serial", "memory": "boot-flash", "at": "0x7E0000", "bytes": 4, "as": "integer", "order": "low-first",
     "from": {"count": "1000", "to": ")x" +
         last + R"x("}},
    {"name": "mac", "memory": "boot-flash", "at": "0x7E0004", "bytes": 6, "as": "integer", "order": "high-first",
     "from": {"count": "0x02AABB000010", "to": "0x02AABB00FFFF", "step": 2}},
    {"name": "label", "memory": "boot-flash", "at": "0x7E0010", "bytes": 16, "as": "text", "from": {"text": "RG-{serial:06}"}},
    {"name": "key", "memory": "boot-flash", "at": "0x7E0020", "bytes": 16, "as": "bytes", "secret": true, "from": {"random": true}})x" +
         more + "]}";
}

/// A store in a folder of its own.
struct LedgerWorld {
  QTemporaryDir folder;
  std::string store() const { return "sqlite:" + folder.filePath("line.sqlite").toStdString(); }
  std::filesystem::path file(const char* name) const { return folder.filePath(name).toStdString(); }
};

inline std::string freshRun() {
  static int count = 0;
  return "run-" + std::to_string(++count);
}

}  // namespace imprimo::test
