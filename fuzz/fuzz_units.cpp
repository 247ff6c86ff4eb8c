// SPDX-License-Identifier: GPL-3.0-or-later
//
// A definition of units, and the values of its first and its last one.
#include <cstdint>
#include <string_view>

#include "core/base/json_text.h"
#include "core/units/definition_reader.h"
#include "core/units/unit_values.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  try {
    const JsonText text = JsonText::parse({reinterpret_cast<const char*>(data), size}, "units.json");
    const auto any = [](const JsonNode& node) { return node.string(); };
    units::Definition definition =
        units::readDefinition(JsonNode(text), {[](const JsonNode&, std::string_view) {}, any, any});
    units::differencesOf(units::fieldsText(definition), "[]");
    for (const units::Field& field : definition.fields) {
      if (!field.source.file.empty()) return 0;  // no files here
    }
    const units::ValueMaker maker(std::move(definition), "/nowhere");
    units::Inputs inputs;
    inputs.random = inputs.secretRandom = [](std::size_t count) { return Bytes(count, 0xA5); };
    inputs.uniqueId = [](const std::string&) { return Bytes{1, 2, 3, 4}; };
    maker.make(0, inputs);
    if (const auto capacity = maker.capacity()) maker.make(*capacity - 1, inputs);
    static_cast<void>(maker.limitWords());
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
