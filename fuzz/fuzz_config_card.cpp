// SPDX-License-Identifier: GPL-3.0-or-later
//
// A card up to the first byte 0, behind it the bitstream that it is held against.
#include <algorithm>
#include <cstdint>

#include "core/base/error.h"
#include "core/configure/procedure.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  static const bsdl::BoundaryDescription device = bsdl::parse(
      "entity P is\n attribute INSTRUCTION_LENGTH of P : entity is 4;\n"
      " attribute INSTRUCTION_OPCODE of P : entity is \"BYPASS (1111), IDCODE (0001), CLEAR (0010), LOAD (0011), "
      "STATUS (0100)\";\n"
      " attribute INSTRUCTION_CAPTURE of P : entity is \"0001\";\n attribute BOUNDARY_LENGTH of P : entity is 4;\nend "
      "P;\n",
      "fuzz");
  const std::string_view all(reinterpret_cast<const char*>(data), size);
  const std::size_t end = std::min(all.find('\0'), all.size());
  configure::entityOfCard(all.substr(0, end));
  try {
    const configure::ConfigCard card = configure::parseConfigCard(all.substr(0, end), "fuzz", device);
    for (const auto* steps : {&card.configure, &card.restart}) {
      for (const configure::CardStep& step : *steps) {
        if (step.kind == configure::CardStep::Kind::Until && step.wish.bits.empty()) __builtin_trap();
      }
    }
    const ByteSpan rest(data + std::min(size, end + 1), size - std::min(size, end + 1));
    const auto file = configure::rawConfigData({rest.begin(), rest.end()}, "file", card.highBitFirst);
    configure::checkData(card, file, {{0x0F40AFFD, 0x0FFFFFFF}});
    configure::cardProcedure({1, "part", &device}, card, card.configure, &file, 1'000'000);
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
