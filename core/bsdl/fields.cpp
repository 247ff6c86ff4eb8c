// SPDX-License-Identifier: GPL-3.0-or-later
//
// Fields of registers and names for their values (IEEE 1149.1-2013 B.8.19, B.8.20):
//
//   REGISTER_MNEMONICS  group "(" name "(" pattern ")" [ "<" note ">" ] { "," ... } ")" { "," ... }
//   REGISTER_FIELDS     register "[" length "]" "(" field { [","] field } ")" { "," ... }
//   field               "(" name "[" length "]" "IS" "(" bits { "," bits } ")" { option } ")"
//   bits                number [ ("DOWNTO" | "TO") number ]
//   option              word [ "(" anything ")" ]
//
// Nothing on a chain hangs on them, so what cannot be read is a warning.
#include "core/bsdl/reading.h"

namespace imprimo::bsdl {
namespace {

void mnemonics(Reading& reading, const RawAttribute& a) {
  Cursor inside = a.joined.cursor(reading.source);
  while (!inside.atEnd()) {
    MnemonicGroup group;
    group.name = inside.needName("the group's name");
    inside.needSymbol('(');
    do {
      MnemonicGroup::Mnemonic mnemonic;
      mnemonic.name = inside.needName("a mnemonic");
      if (inside.takeSymbol('(')) {
        mnemonic.pattern = inside.restOfBrackets();
      } else {
        mnemonic.pattern = "OTHERS";
      }
      if (inside.takeSymbol('<')) {
        while (!inside.takeSymbol('>')) {
          if (inside.atEnd()) inside.expected("'>'");
          if (!mnemonic.note.empty()) mnemonic.note += ' ';
          mnemonic.note += inside.take().text;
        }
      }
      group.mnemonics.push_back(std::move(mnemonic));
    } while (inside.takeSymbol(','));
    inside.needSymbol(')');
    reading.device.mnemonics.push_back(std::move(group));
    if (!inside.another()) break;
  }
}

RegisterField field(Cursor& inside) {
  RegisterField result;
  result.name = inside.needName("a field's name");
  inside.needSymbol('[');
  result.length = inside.needInteger("the field's length");
  inside.needSymbol(']');
  inside.needWord("IS");
  inside.needSymbol('(');
  do {
    const std::uint32_t first = inside.needInteger("a bit's number");
    std::uint32_t last = first;
    if (inside.takeWord("DOWNTO") || inside.takeWord("TO")) last = inside.needInteger("a bit's number");
    result.bits.emplace_back(first, last);
  } while (inside.takeSymbol(','));
  inside.needSymbol(')');
  while (!inside.takeSymbol(')')) {
    std::string name = inside.needName("an option of the field, or ')'");
    result.options.emplace_back(std::move(name), inside.takeSymbol('(') ? inside.restOfBrackets() : std::string());
  }
  return result;
}

void registerFields(Reading& reading, const RawAttribute& a) {
  Cursor inside = a.joined.cursor(reading.source);
  while (!inside.atEnd()) {
    RegisterFields fields;
    fields.name = inside.needName("a register's name");
    inside.needSymbol('[');
    fields.length = inside.needInteger("the register's length");
    inside.needSymbol(']');
    inside.needSymbol('(');
    while (inside.takeSymbol('(')) {
      fields.fields.push_back(field(inside));
      inside.takeSymbol(',');
    }
    inside.needSymbol(')');
    reading.device.fields.push_back(std::move(fields));
    if (!inside.another()) break;
  }
}

}  // namespace

void readFields(Reading& reading) {
  for (const RawAttribute& a : reading.attributes) {
    reading.tolerating([&] {
      if (a.name == "REGISTER_MNEMONICS") mnemonics(reading, a);
      if (a.name == "REGISTER_FIELDS") registerFields(reading, a);
    });
  }
}

}  // namespace imprimo::bsdl
