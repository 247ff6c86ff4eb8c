// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/units/definition_reader.h"

#include <fmt/chrono.h>
#include <fmt/format.h>

#include <algorithm>
#include <regex>
#include <set>
#include <stdexcept>

#include "core/base/number.h"
#include "core/base/utc.h"
#include "core/image/checksum.h"
#include "core/units/forms.h"
#include "core/units/template_text.h"

namespace imprimo::units {
namespace {

constexpr std::uint32_t kWidest = 4096, kWidestInteger = 8, kWidestHash = 64, kMac = 6, kUuid = 16;

bool isName(const std::string& text) {
  return !text.empty() && std::all_of(text.begin(), text.end(),
                                      [](unsigned char c) { return std::isalnum(c) != 0 || c == '_' || c == '-'; });
}

void where(const JsonNode& node, const SheetWords& words, Field& field) {
  if (!node.has("word")) {
    field.memory = words.memory(node["memory"]);
    field.at = node["at"].number();
    return;
  }
  if (node.has("memory")) node["memory"].fail("stands instead of a configuration word: leave one of the two out");
  field.core = words.core(node["core"]);
  field.word = node["word"].string();
  if (node.has("field")) field.wordField = node["field"].string();
}

void form(const JsonNode& node, Field& field) {
  field.form = Form::Integer;
  if (node.has("as")) {
    const auto form = formNamed(node["as"].string());
    if (!form) node["as"].fail("should be \"integer\", \"decimal\", \"hex\", \"mac\", \"uuid\", \"text\" or \"bytes\"");
    field.form = *form;
  }
  const std::uint32_t fixed = field.form == Form::Mac ? kMac : field.form == Form::Uuid ? kUuid : 0;
  if (fixed != 0 && !node.has("bytes")) {
    field.bytes = fixed;
  } else {
    const std::uint64_t bytes = node["bytes"].number();
    const std::uint32_t most = field.form == Form::Integer ? kWidestInteger : kWidest;
    if (bytes == 0 || bytes > most) node["bytes"].fail(fmt::format("should be 1 to {}", most));
    if (fixed != 0 && bytes != fixed) node["bytes"].fail(fmt::format("should be {}", fixed));
    field.bytes = static_cast<std::uint32_t>(bytes);
  }
  if (field.at > UINT64_MAX - field.bytes) node["at"].fail("runs past all addresses");
  if (node.has("order")) field.lowFirst = node["order"].choice("high-first", "low-first");
  if (node.has("fill")) {
    const std::uint64_t fill = node["fill"].number();
    if (fill > UINT8_MAX) node["fill"].fail("should be a byte");
    field.fill = static_cast<std::uint8_t>(fill);
  }
  field.secret = node.has("secret") && node["secret"].boolean();
}

void count(const JsonNode& node, const Field& field, Source& source) {
  source.kind = Source::Count;
  source.first = node["count"].number();
  source.last = node["to"].number();
  source.hexadecimal = node["count"].isText() && node["count"].string().starts_with("0x");
  if (node.has("step")) source.step = node["step"].number();
  if (source.step == 0) node["step"].fail("should be 1 or more");
  if (source.last < source.first) node["to"].fail("ends before it begins (both ends belong to the range)");
  if (source.first == 0 && source.last == UINT64_MAX && source.step == 1)
    node["to"].fail("is more than can be counted");
  Field counted = field;
  counted.source = source;
  try {
    static_cast<void>(bytesOf(counted, textOf(counted, source.last)));
  } catch (const Error& e) {
    node["to"].fail(e.what());
  }
}

void pattern(const JsonNode& node, Source& source) {
  if (!node.has("pattern")) return;
  source.text = node["pattern"].string();
  try {
    static_cast<void>(std::regex(source.text));
  } catch (const std::regex_error&) {
    node["pattern"].fail("is no regular expression");
  }
}

void date(const JsonNode& node, const Field& field, Source& source) {
  source.kind = Source::Date;
  source.text = node["date"].string();
  if (field.form != Form::Text && field.form != Form::Decimal)
    node["date"].fail("needs \"as\": \"text\" or \"decimal\"");
  try {
    if (source.text.find_first_of("{}") != std::string::npos) throw std::invalid_argument("braces");
    static_cast<void>(fmt::format(fmt::runtime("{:" + source.text + "}"), fmt::gmtime(std::time_t{0})));
  } catch (const std::exception&) {
    node["date"].fail("should be like \"%Y-%m-%d\"");
  }
  if (source.text.empty()) node["date"].fail("should be like \"%Y-%m-%d\"");
}

void onlyFor(const JsonNode& node, bool fits, const char* what) {
  if (!fits) node.fail(what);
}

Source sourceOf(const JsonNode& node, const Field& field) {
  Source source;
  if (node.has("count")) {
    onlyFor(node["count"], field.form != Form::Text, "counts numbers, not texts: leave \"as\" or use \"decimal\"");
    count(node, field, source);
  } else if (node.has("random")) {
    source.kind = Source::Random;
    onlyFor(node["random"], node["random"].boolean(), "should be true");
    onlyFor(node["random"], field.form == Form::Bytes || field.form == Form::Integer || field.form == Form::Uuid,
            "gives bytes, an integer or a UUID: see \"as\"");
  } else if (node.has("derived")) {
    source.kind = Source::Derived;
    source.file = node["derived"].string();
    source.of = node["of"].string();
    onlyFor(node["derived"], field.form == Form::Bytes && field.bytes <= kWidestHash,
            "gives up to 64 bytes: \"as\" should be \"bytes\"");
  } else if (node.has("list")) {
    source.kind = Source::List;
    source.file = node["list"].string();
    source.column = node["column"].string();
  } else if (node.has("text")) {
    source.kind = Source::Text;
    source.text = node["text"].string();
    onlyFor(node["text"], field.form == Form::Text, "needs \"as\": \"text\"");
  } else if (node.has("unique_id")) {
    source.kind = Source::UniqueId;
    onlyFor(node["unique_id"], node["unique_id"].boolean(), "should be true");
    onlyFor(node["unique_id"], field.form == Form::Bytes && !field.memory.empty(),
            "gives bytes of the field's memory: \"as\" should be \"bytes\"");
  } else if (node.has("given")) {
    source.kind = Source::Given;
    onlyFor(node["given"], node["given"].boolean(), "should be true");
    pattern(node, source);
  } else if (node.has("date")) {
    date(node, field, source);
  } else if (node.has("checksum")) {
    source.kind = Source::Checksum;
    source.sum = node["checksum"].string();
    const auto kind = checksumNamed(source.sum);
    if (!kind) node["checksum"].fail(fmt::format("there is no checksum named {}", source.sum));
    for (const JsonNode& each : node["over"].elements()) source.over.push_back(each.string());
    onlyFor(node["checksum"], field.form == Form::Integer || field.form == Form::Bytes,
            "\"as\" should be \"integer\" or \"bytes\"");
    const std::size_t size = checksumOf(*kind, {}).size();
    if (size != field.bytes)
      node["checksum"].fail(fmt::format("has {}, the field has {}", countText(size, "byte"), field.bytes));
  } else {
    node.fail(
        "should have \"count\", \"random\", \"derived\", \"list\", \"text\", \"unique_id\", \"given\", \"date\" or "
        "\"checksum\"");
  }
  return source;
}

Field fieldOf(const JsonNode& node, const SheetWords& words) {
  words.note(node, "units.fields[]");
  words.note(node["from"].object(), "units.fields[].from");
  Field field;
  field.name = node["name"].string();
  if (!isName(field.name)) node["name"].fail("is made of letters, digits, _ and -");
  where(node, words, field);
  form(node, field);
  if (field.memory.empty() && field.form != Form::Integer) node["as"].fail("a configuration word takes an integer");
  field.source = sourceOf(node["from"], field);
  return field;
}

/// The fields that a field is made of.
std::vector<std::string> madeOf(const Field& field) {
  const Source& source = field.source;
  if (source.kind == Source::Derived) return {source.of};
  if (source.kind == Source::Checksum) return source.over;
  std::vector<std::string> names;
  if (source.kind == Source::Text) {
    fillTemplate(source.text, [&](const std::string& name, const TemplateForm&) {
      names.push_back(name);
      return std::string();
    });
  }
  return names;
}

/// Every field that is referred to is there, none is made of itself, and no secret gets out by way of another field.
void checkReferences(const Definition& definition, const std::vector<JsonNode>& nodes) {
  std::set<std::string> done;
  for (std::size_t i = 0; i < nodes.size(); ++i) {
    const JsonNode from = nodes[i]["from"];
    std::vector<std::string> names;
    try {
      names = madeOf(definition.fields[i]);
    } catch (const std::invalid_argument& e) {
      from["text"].fail(e.what());
    }
    for (const std::string& name : names) {
      const Field* other = definition.field(name);
      if (other == nullptr) from.fail(fmt::format("there is no field named {}", name));
      if (other->secret && !definition.fields[i].secret && definition.fields[i].source.kind == Source::Text)
        from.fail(fmt::format("would show {}, which is secret", name));
    }
  }
  for (bool more = true; more;) {
    more = false;
    for (const Field& field : definition.fields) {
      const auto names = madeOf(field);
      if (done.contains(field.name) ||
          !std::all_of(names.begin(), names.end(), [&](const std::string& name) { return done.contains(name); }))
        continue;
      done.insert(field.name);
      more = true;
    }
  }
  for (std::size_t i = 0; i < nodes.size(); ++i) {
    if (!done.contains(definition.fields[i].name)) nodes[i]["from"].fail("is made of itself");
  }
}

void limits(const JsonNode& node, const SheetWords& words, Definition& definition) {
  words.note(node, "units.limit");
  if (node.has("units")) {
    definition.limit = node["units"].number();
    if (*definition.limit == 0) node["units"].fail("should be 1 or more");
  }
  if (!node.has("until")) return;
  definition.until = node["until"].string();
  static const std::regex kDay("[0-9]{4}-(0[1-9]|1[0-2])-(0[1-9]|[12][0-9]|3[01])");
  if (!std::regex_match(definition.until, kDay)) node["until"].fail("should be a day, like \"2026-12-31\"");
}

}  // namespace

Definition readDefinition(const JsonNode& node, const SheetWords& words) {
  words.note(node.object(), "units");
  Definition definition;
  definition.ledger = node["ledger"].string();
  if (!isName(definition.ledger)) node["ledger"].fail("is made of letters, digits, _ and -");
  const std::vector<JsonNode> nodes = node["fields"].elements();
  if (nodes.empty()) node["fields"].fail("defines nothing");
  for (const JsonNode& each : nodes) {
    Field field = fieldOf(each.object(), words);
    for (const Field& other : definition.fields) {
      if (other.name == field.name) each["name"].fail(fmt::format("there are two fields named {}", field.name));
      if (!field.memory.empty() && other.memory == field.memory && other.range().overlaps(field.range()))
        each["at"].fail(fmt::format("overlaps field {}, which is at {}", other.name, rangeText(other.range())));
    }
    definition.fields.push_back(std::move(field));
  }
  checkReferences(definition, nodes);
  if (node.has("limit")) limits(node["limit"].object(), words, definition);
  return definition;
}

}  // namespace imprimo::units
