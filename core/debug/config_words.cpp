// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/debug/config_words.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/json_text.h"
#include "core/base/number.h"

namespace imprimo::debug {
namespace {

Harm harm(const JsonNode& node) {
  if (node.string() == "shuts-out") return Harm::ShutsOut;
  if (node.string() == "permanent") return Harm::Permanent;
  node.fail("should be \"shuts-out\" or \"permanent\"");
}

std::uint32_t upTo(const JsonNode& node, std::uint32_t most) {
  const std::uint32_t value = word32(node);
  if (value > most) node.fail(fmt::format("does not fit: at most 0x{:X}", most));
  return value;
}

WordField field(const JsonNode& node, unsigned bits) {
  node.onlyKnown({"bits", "name", "what", "values"});
  WordField field;
  const std::string range = node["bits"].string();
  const std::size_t dots = range.find("..");
  const auto high = parseNumber(range.substr(0, dots));
  const auto low = dots == std::string::npos ? high : parseNumber(range.substr(dots + 2));
  if (!high || !low || *high < *low || *high >= bits)
    node["bits"].fail(fmt::format("should be like \"7..0\" or \"3\", below {}", bits));
  field.high = static_cast<unsigned>(*high);
  field.low = static_cast<unsigned>(*low);
  field.name = node["name"].string();
  if (field.name.empty()) node["name"].fail("is empty");
  if (node.has("what")) field.what = node["what"].string();
  if (!node.has("values")) return field;
  for (const JsonNode& each : node["values"].elements()) {
    each.onlyKnown({"value", "means", "harm"});
    FieldValue value;
    if (each.has("value")) value.value = upTo(each["value"], field.most());
    value.means = each["means"].string();
    if (each.has("harm")) value.harm = harm(each["harm"]);
    for (const FieldValue& other : field.values) {
      if (other.value == value.value) each.fail("says of a value what another one said already");
    }
    field.values.push_back(std::move(value));
  }
  return field;
}

WordStep wordStep(const JsonNode& node, const ConfigWord& word) {
  const bool takes = node.has("write") && (node["write"].has("word") || node["write"].has("partner"));
  if (!takes) return {readChipStep(node), WordStep::Takes::Value};
  node.onlyKnown({"write"});
  const JsonNode write = node["write"].object();
  WordStep all;
  all.takes = write.has("word") ? WordStep::Takes::Word : WordStep::Takes::Partner;
  write.onlyKnown({"ap", "register", "at", all.takes == WordStep::Takes::Word ? "word" : "partner"});
  const JsonNode said = write[all.takes == WordStep::Takes::Word ? "word" : "partner"];
  if (!said.boolean()) said.fail("is true or left out");
  if (all.takes == WordStep::Takes::Partner && !word.complementAt) said.fail("is of a word with a \"complement\"");
  readPlace(write, all.step.word, word.bytes());
  return all;
}

void readWritten(const JsonNode& node, ConfigWord& word) {
  node.onlyKnown({"region", "steps"});
  if (node.has("region") == node.has("steps")) node.fail("should have one of \"region\" and \"steps\"");
  if (node.has("region")) {
    word.region = node["region"].string();
    return;
  }
  bool writes = false;
  for (const JsonNode& each : node["steps"].elements()) {
    word.steps.push_back(wordStep(each, word));
    writes = writes || word.steps.back().takes == WordStep::Takes::Word;
  }
  if (!writes) node["steps"].fail("none of them writes the word (\"word\": true)");
}

ConfigWord::Valid valid(const JsonNode& node) {
  if (node.string() == "reset") return ConfigWord::Valid::Reset;
  if (node.string() == "power-cycle") return ConfigWord::Valid::PowerCycle;
  if (node.string() == "at-once") return ConfigWord::Valid::AtOnce;
  node.fail("should be \"reset\", \"power-cycle\" or \"at-once\"");
}

std::uint32_t alignedTo(const JsonNode& node, std::uint32_t bytes) {
  const std::uint32_t at = word32(node);
  if (at % bytes != 0) node.fail(fmt::format("should be a multiple of {}", bytes));
  return at;
}

ConfigWord configWord(const JsonNode& node) {
  node.onlyKnown({"name", "at", "width", "fields", "factory", "complement", "check_bits", "written", "valid_after"});
  ConfigWord word;
  word.name = node["name"].string();
  if (word.name.empty()) node["name"].fail("is empty");
  if (node.has("width")) {
    const std::uint64_t width = node["width"].number();
    if (width != 8 && width != 16 && width != 32) node["width"].fail("should be 8, 16 or 32");
    word.bits = static_cast<unsigned>(width);
  }
  word.at = alignedTo(node["at"], word.bytes());
  if (node.has("complement")) {
    word.complementAt = alignedTo(node["complement"], word.bytes());
    if (*word.complementAt == word.at) node["complement"].fail("is the word itself");
  }
  if (node.has("check_bits")) word.hasCheckBits = node["check_bits"].boolean();
  if (node.has("factory")) word.factory = upTo(node["factory"], word.mask());
  if (node.has("valid_after")) word.valid = valid(node["valid_after"]);
  if (node.has("fields")) {
    std::uint32_t taken = 0;
    for (const JsonNode& each : node["fields"].elements()) {
      WordField next = field(each, word.bits);
      if ((taken & next.mask()) != 0) each["bits"].fail("has bits of another field");
      for (const WordField& other : word.fields) {
        if (other.name == next.name) each["name"].fail("is the name of two fields");
      }
      taken |= next.mask();
      word.fields.push_back(std::move(next));
    }
  }
  readWritten(node["written"], word);
  return word;
}

}  // namespace

const FieldValue* WordField::meaning(std::uint32_t value) const {
  const FieldValue* other = nullptr;
  for (const FieldValue& each : values) {
    if (each.value == value) return &each;
    if (!each.value) other = &each;
  }
  return other;
}

const WordField& ConfigWord::field(const std::string& wanted) const {
  std::string names;
  for (const WordField& field : fields) {
    if (field.name == wanted) return field;
    names += (names.empty() ? "" : ", ") + field.name;
  }
  throw Error(ErrorKind::Usage, fmt::format("the configuration word {} has no field named {}", name, wanted),
              names.empty() ? "It has none; give the whole word." : "It has " + names + ".");
}

std::string ConfigWord::hex(std::uint32_t value) const {
  return fmt::format("0x{:0{}X}", value, bits / 4);
}

WordHarm harmOf(const ConfigWord& word, std::uint32_t value) {
  WordHarm worst;
  for (const WordField& field : word.fields) {
    const std::uint32_t bits = field.of(value);
    const FieldValue* meaning = field.meaning(bits);
    if (meaning == nullptr || meaning->harm <= worst.harm) continue;
    worst = {meaning->harm, fmt::format("{} 0x{:X}: {}", field.name, bits, meaning->means)};
  }
  return worst;
}

std::string fieldsText(const ConfigWord& word, std::uint32_t value) {
  std::string text;
  for (const WordField& field : word.fields) {
    const FieldValue* meaning = field.meaning(field.of(value));
    text += fmt::format("{}{} 0x{:X}{}", text.empty() ? "" : ", ", field.name, field.of(value),
                        meaning == nullptr ? "" : " (" + meaning->means + ")");
  }
  return text;
}

std::vector<ConfigWord> readConfigWords(const JsonNode& list) {
  std::vector<ConfigWord> words;
  for (const JsonNode& node : list.elements()) {
    ConfigWord next = configWord(node);
    for (const ConfigWord& other : words) {
      if (other.name == next.name) node["name"].fail("is the name of two words");
      if (other.range().overlaps(next.range())) node["at"].fail(fmt::format("lies over the word {}", other.name));
    }
    words.push_back(std::move(next));
  }
  return words;
}

}  // namespace imprimo::debug
