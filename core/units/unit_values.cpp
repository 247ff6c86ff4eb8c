// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/units/unit_values.h"

#include <fmt/chrono.h>
#include <fmt/format.h>
#include <sodium.h>

#include <algorithm>
#include <regex>
#include <stdexcept>

#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/number.h"
#include "core/image/checksum.h"
#include "core/units/forms.h"
#include "core/units/template_text.h"
#include "core/units/value_list.h"

namespace imprimo::units {
namespace {

void startSodium() {
  if (sodium_init() < 0) throw std::runtime_error("the library for random numbers cannot start");
}

Bytes asBytes(const std::string& text) {
  return {text.begin(), text.end()};
}

/// BLAKE2b (RFC 7693), keyed.
Bytes keyedHash(const Bytes& key, const std::string& text, std::size_t size) {
  Bytes hash(std::max<std::size_t>(size, crypto_generichash_BYTES_MIN));
  crypto_generichash(hash.data(), hash.size(), reinterpret_cast<const unsigned char*>(text.data()), text.size(),
                     key.data(), key.size());
  hash.resize(size);
  return hash;
}

/// A secret of a file in as many bytes as a key may have.
Bytes secretOf(const std::filesystem::path& file) {
  std::string text = readTextFile(file);
  while (!text.empty() && (text.back() == '\n' || text.back() == '\r')) text.pop_back();
  if (text.size() < crypto_generichash_KEYBYTES_MIN) {
    throw Error(ErrorKind::BadFile,
                fmt::format("{}: a secret has at least {} bytes", file.string(), crypto_generichash_KEYBYTES_MIN),
                "Make one of random bytes, and keep it where only stations can read it.");
  }
  if (text.size() <= crypto_generichash_KEYBYTES_MAX) return asBytes(text);
  Bytes key(crypto_generichash_KEYBYTES_MAX);
  crypto_generichash(key.data(), key.size(), reinterpret_cast<const unsigned char*>(text.data()), text.size(), nullptr,
                     0);
  return key;
}

/// RFC 4122, 4.4: a UUID made of random bits says so in its version and variant.
void markRandomUuid(Bytes& bytes) {
  constexpr std::size_t kVersion = 6, kVariant = 8;
  bytes[kVersion] = static_cast<std::uint8_t>((bytes[kVersion] & 0x0FU) | 0x40U);
  bytes[kVariant] = static_cast<std::uint8_t>((bytes[kVariant] & 0x3FU) | 0x80U);
}

std::uint64_t lengthOf(const Source& source) {
  return (source.last - source.first) / source.step + 1;
}

}  // namespace

Bytes randomBytes(std::size_t count) {
  startSodium();
  Bytes bytes(count);
  randombytes_buf(bytes.data(), bytes.size());
  return bytes;
}

/// The values of one unit, each made when it is asked for first.
class OneUnit {
 public:
  OneUnit(const ValueMaker& maker, std::uint64_t index, const Inputs& inputs)
      : maker_(maker), index_(index), inputs_(inputs) {}

  /// Null: it cannot have one yet.
  const Value* value(const Field& field) {
    const auto [at, isNew] = made_.try_emplace(field.name);
    if (isNew) at->second = make(field);
    return at->second ? &*at->second : nullptr;
  }

 private:
  std::optional<Value> make(const Field& field) {
    if (const auto known = inputs_.known.find(field.name); known != inputs_.known.end())
      return Value{known->second, bytesOf(field, known->second)};
    if (const auto text = textFor(field)) return Value{*text, bytesOf(field, *text)};
    auto bytes = bytesFor(field);
    if (!bytes) return std::nullopt;
    return Value{textOf(field, *bytes), std::move(*bytes)};
  }

  std::optional<std::string> textFor(const Field& field) {
    const Source& source = field.source;
    switch (source.kind) {
      case Source::Count:
        return textOf(field, source.first + index_ * source.step);
      case Source::List:
        return maker_.lists_.at(field.name).at(index_);
      case Source::Text:
        return filled(field);
      case Source::Given:
        return given(field);
      case Source::Date:
        return fmt::format(fmt::runtime("{:" + source.text + "}"),
                           fmt::gmtime(std::chrono::system_clock::to_time_t(inputs_.today)));
      default:
        return std::nullopt;
    }
  }

  std::optional<Bytes> bytesFor(const Field& field) {
    const Source& source = field.source;
    switch (source.kind) {
      case Source::Random: {
        const auto& random = field.secret ? inputs_.secretRandom : inputs_.random;
        if (!random) return std::nullopt;
        Bytes bytes = random(field.bytes);
        if (field.form == Form::Uuid) markRandomUuid(bytes);
        return bytes;
      }
      case Source::Derived: {
        const Value* of = value(*maker_.definition_.field(source.of));
        if (of == nullptr) return std::nullopt;
        return keyedHash(maker_.secrets_.at(field.name), field.name + '\0' + of->text, field.bytes);
      }
      case Source::UniqueId: {
        auto id = inputs_.uniqueId ? inputs_.uniqueId(field.memory) : std::nullopt;
        if (id && id->size() > field.bytes)
          throw Error(ErrorKind::Usage, fmt::format("the unique ID of {} has {} bytes and field {} has {}",
                                                    field.memory, id->size(), field.name, field.bytes));
        if (id) id->resize(field.bytes);
        return id;
      }
      case Source::Checksum:
        return checksum(field);
      default:
        return std::nullopt;
    }
  }

  std::optional<std::string> filled(const Field& field) {
    bool complete = true;
    std::string text = fillTemplate(field.source.text, [&](const std::string& name, const TemplateForm& form) {
      const Field& other = *maker_.definition_.field(name);
      const Value* of = value(other);
      if (of == nullptr) complete = false;
      return of == nullptr ? std::string() : formed(other, of->text, form);
    });
    if (!complete) return std::nullopt;
    return text;
  }

  static std::string formed(const Field& field, const std::string& text, const TemplateForm& form) {
    if (form.width == 0 && !form.hexadecimal) return text;
    const auto number = numberOf(field, text);
    if (!number) return fmt::format("{:>{}}", text, form.width);
    return form.hexadecimal ? fmt::format("{:0{}X}", *number, form.width) : fmt::format("{:0{}}", *number, form.width);
  }

  std::optional<std::string> given(const Field& field) {
    const auto at = inputs_.given.find(field.name);
    if (at == inputs_.given.end()) return std::nullopt;
    if (!field.source.text.empty() && !std::regex_match(at->second, std::regex(field.source.text))) {
      throw Error(ErrorKind::Usage,
                  fmt::format("{} does not fit the pattern of field {}",
                              field.secret ? "the value given" : "'" + at->second + "'", field.name),
                  fmt::format("The sheet asks for {}.", field.source.text));
    }
    return at->second;
  }

  std::optional<Bytes> checksum(const Field& field) {
    const auto kind = checksumNamed(field.source.sum);
    Checksum sum(*kind);
    for (const std::string& name : field.source.over) {
      const Value* of = value(*maker_.definition_.field(name));
      if (of == nullptr) return std::nullopt;
      sum.add(of->bytes);
    }
    Bytes result = sum.result();
    if (field.form == Form::Integer && field.lowFirst) std::reverse(result.begin(), result.end());
    return result;
  }

  const ValueMaker& maker_;
  std::uint64_t index_;
  const Inputs& inputs_;
  std::map<std::string, std::optional<Value>> made_;
};

ValueMaker::ValueMaker(Definition definition, const std::filesystem::path& folder)
    : definition_(std::move(definition)) {
  startSodium();
  for (const Field& field : definition_.fields) {
    if (field.source.kind == Source::List) {
      auto values = readColumn(folder / field.source.file, field.source.column);
      for (const std::string& value : values) static_cast<void>(bytesOf(field, value));
      lists_.emplace(field.name, std::move(values));
    }
    if (field.source.kind == Source::Derived) secrets_.emplace(field.name, secretOf(folder / field.source.file));
  }
}

std::optional<std::uint64_t> ValueMaker::capacity() const {
  std::optional<std::uint64_t> least = definition_.limit;
  const auto atMost = [&](std::uint64_t count) { least = std::min(least.value_or(count), count); };
  for (const Field& field : definition_.fields) {
    if (field.source.kind == Source::Count) atMost(lengthOf(field.source));
    if (field.source.kind == Source::List) atMost(lists_.at(field.name).size());
  }
  return least;
}

std::string ValueMaker::limitWords() const {
  const auto least = capacity();
  for (const Field& field : definition_.fields) {
    if (field.source.kind == Source::Count && lengthOf(field.source) == least) {
      return fmt::format("{} ends at {}", field.name,
                         textOf(field, field.source.first + (*least - 1) * field.source.step));
    }
    if (field.source.kind == Source::List && lists_.at(field.name).size() == least)
      return fmt::format("{} has {} in its list", field.name, countText(*least, "value"));
  }
  return least ? fmt::format("the sheet allows {}", countText(*least, "unit")) : std::string();
}

Values ValueMaker::make(std::uint64_t index, const Inputs& inputs) const {
  Values values;
  OneUnit unit(*this, index, inputs);
  for (const Field& field : definition_.fields) {
    if (const Value* value = unit.value(field)) values.emplace(field.name, *value);
  }
  return values;
}

std::vector<std::string> ValueMaker::missingIn(const Values& values) const {
  std::vector<std::string> names;
  for (const Field& field : definition_.fields) {
    if (!values.contains(field.name)) names.push_back(field.name);
  }
  return names;
}

std::vector<std::string> ValueMaker::givenFields() const {
  std::vector<std::string> names;
  for (const Field& field : definition_.fields) {
    if (field.source.kind == Source::Given) names.push_back(field.name);
  }
  return names;
}

}  // namespace imprimo::units
