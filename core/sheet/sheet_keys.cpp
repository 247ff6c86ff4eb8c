// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/sheet_keys.h"

#include <algorithm>
#include <iterator>
#include <stdexcept>
#include <vector>

#include "core/image/checksum.h"
#include "core/sheet/memory_types.h"

namespace imprimo::sheet {
namespace {

using Kind = ValueKind;

template <std::size_t Count>
constexpr KeyRow within(const char* key, ValueKind kind, const char* words, const KeyRow (&rows)[Count]) {
  return {key, kind, words, false, {}, rows, Count};
}

constexpr KeyRow needed(const char* key, ValueKind kind, const char* words) {
  return {key, kind, words, true};
}

template <std::size_t Count>
constexpr KeyRow oneOf(const char* key, const char* words, const char* const (&choices)[Count]) {
  return {key, Kind::Choice, words, false, choices};
}

constexpr KeyRow kProbe[] = {
    {"clock", Kind::Number, "TCK or SWCLK in Hz"},
    {"wait", Kind::Number, "seconds that a run waits for power and chain"},
};

constexpr KeyRow kDevice[] = {
    needed("name", Kind::Name, "name"),
    {"bsdl", Kind::File, "BSDL file"},
    {"ir_length", Kind::Number, "instruction bits, without a BSDL file"},
    {"assumed", Kind::Flag, "the number of instruction bits is a guess"},
    {"idcode", Kind::Address, "IDCODE"},
    {"mask", Kind::Address, "bits of the IDCODE that count"},
    {"configure", Kind::File, "configuration card"},
};

constexpr const char* kPorts[] = {"swd", "jtag"};
constexpr const char* kConnects[] = {"normal", "under-reset", "running"};
constexpr const char* kCodings[] = {"uart", "manchester"};
constexpr const char* kAs[] = {"text", "unsigned", "signed", "hex", "float"};
constexpr const char* kParities[] = {"none", "even", "odd"};
constexpr const char* kEndings[] = {"lf", "cr", "crlf"};

constexpr KeyRow kChip[] = {needed("pack", Kind::File, "pack"), needed("name", Kind::Text, "device of the pack")};
constexpr KeyRow kStarter[] = {
    needed("core", Kind::Core, "core that starts it"),
    needed("at", Kind::Address, "address of the word"),
    needed("value", Kind::Address, "value of the word"),
};
constexpr KeyRow kWord[] = {
    needed("word", Kind::Text, "word"),
    {"field", Kind::Text, "field"},
    needed("value", Kind::Address, "value"),
    {"permanent", Kind::Flag, "also where it locks permanently"},
};
constexpr KeyRow kItmPort[] = {
    needed("port", Kind::Number, "port"),
    oneOf("as", "shown as", kAs),
    {"name", Kind::Text, "name"},
};
constexpr KeyRow kSwo[] = {
    oneOf("coding", "coding", kCodings),
    {"rate", Kind::Number, "bits a second"},
    {"clock", Kind::Number, "trace clock in Hz"},
    within("ports", Kind::List, "ports", kItmPort),
};
constexpr KeyRow kSerialPort[] = {
    {"baud", Kind::Number, "baud"},      {"bits", Kind::Number, "data bits"},      oneOf("parity", "parity", kParities),
    {"stop", Kind::Number, "stop bits"}, oneOf("ending", "line ending", kEndings),
};
constexpr KeyRow kConsole[] = {
    {"sources", Kind::Words, "sources"},
    {"wait_for", Kind::Text, "text that has to come"},
    {"seconds", Kind::Real, "seconds at most"},
    within("swo", Kind::Object, "trace by SWO", kSwo),
    within("serial", Kind::Object, "serial port", kSerialPort),
};
constexpr KeyRow kCore[] = {
    needed("name", Kind::Name, "name"),
    {"port", Kind::Choice, "debug port", true, kPorts},
    {"device", Kind::Device, "device on the chain"},
    {"target", Kind::Address, "TARGETSEL"},
    {"card", Kind::File, "core card"},
    within("chip", Kind::Object, "chip of a pack", kChip),
    {"ap", Kind::Address, "access port"},
    oneOf("connect", "attach", kConnects),
    within("words", Kind::List, "configuration words", kWord),
    {"lock", Kind::Flag, "locked at the end of a run"},
    within("started_by", Kind::Object, "started by", kStarter),
    within("console", Kind::Object, "console", kConsole),
};

constexpr const char* kVias[] = {"bridge", "pins", "core"};
constexpr KeyRow kRoute[] = {
    {"via", Kind::Choice, "by", true, kVias},
    {"device", Kind::Device, "device"},
    {"instruction", Kind::Instruction, "instruction"},
    {"load", Kind::File, "bridge image"},
    {"cs", Kind::Port, "chip select"},
    {"clk", Kind::Port, "clock"},
    {"mosi", Kind::Port, "to the memory"},
    {"miso", Kind::Port, "from the memory"},
    {"wp", Kind::Port, "write protect"},
    {"hold", Kind::Port, "hold"},
    {"address", Kind::Words, "address lines, lowest first"},
    {"data", Kind::Words, "data lines, lowest first"},
    {"ce", Kind::Port, "chip enable"},
    {"oe", Kind::Port, "output enable"},
    {"we", Kind::Port, "write enable"},
    {"hold_pins", Kind::Levels, "ports that keep a level"},
    {"core", Kind::Core, "core"},
    {"region", Kind::Region, "region"},
};

/// The table is made when it is asked for: the words for types are listed elsewhere.
KeyRow typeRow() {
  return {"type", Kind::Choice, "kind", true, memoryTypes()};
}

std::span<const KeyRow> memoryKeys() {
  static const KeyRow kMemory[] = {
      needed("name", Kind::Name, "name"),
      typeRow(),
      within("route", Kind::Object, "route", kRoute),
      {"part", Kind::File, "part card"},
      {"clock", Kind::Number, "highest clock in Hz"},
      {"boot", Kind::Address, "address in the boot block"},
      {"sync", Kind::Bytes, "begin of a bitstream"},
      {"last_seen", Kind::Kept, "found last"},
  };
  return kMemory;
}

constexpr const char* kFormats[] = {"bin", "hex", "srec", "elf"};
constexpr const char* kBits[] = {"normal", "reversed"};
constexpr const char* kOrders[] = {"high-first", "low-first"};

constexpr KeyRow kPlacement[] = {
    needed("memory", Kind::Memory, "memory"),
    {"file", Kind::File, "file"},
    {"pattern", Kind::Text, "pattern instead of a file"},
    {"at", Kind::Address, "address"},
    oneOf("format", "format", kFormats),
    {"wrapper", Kind::File, "wrapper card"},
    {"cut", Kind::Text, "part of it"},
    oneOf("bits", "bits of each byte", kBits),
    {"swap", Kind::Number, "bits of words whose bytes are swapped"},
    {"after", Kind::Flag, "after the file above"},
    {"align", Kind::Text, "begins at a multiple of"},
    {"pad", Kind::Text, "filled up to a multiple of"},
};
constexpr KeyRow kConfiguration[] = {
    needed("device", Kind::Device, "device"),
    needed("file", Kind::File, "file"),
    {"wrapper", Kind::File, "wrapper card"},
    oneOf("bits", "bits of each byte", kBits),
};
constexpr KeyRow kEdit[] = {
    needed("memory", Kind::Memory, "memory"),
    needed("at", Kind::Address, "address"),
    needed("bytes", Kind::Bytes, "bytes"),
};
constexpr KeyRow kRange[] = {
    needed("memory", Kind::Memory, "memory"),
    needed("from", Kind::Address, "from"),
    needed("to", Kind::Address, "to, included"),
};
constexpr KeyRow kBookmark[] = {
    needed("memory", Kind::Memory, "memory"),
    needed("at", Kind::Address, "address"),
    needed("name", Kind::Text, "name"),
    {"expect", Kind::Text, "expected bytes"},
};
constexpr KeyRow kPin[] = {
    needed("device", Kind::Device, "device"),
    needed("port", Kind::Port, "port"),
    {"name", Kind::Text, "name on this board"},
    {"level", Kind::Level, "level it should have"},
};

std::span<const char* const> sumNames() {
  static const std::vector<std::string> kTexts = checksumNames();
  static const std::vector<const char*> kNames = [] {
    std::vector<const char*> names;
    names.reserve(kTexts.size());
    for (const std::string& each : kTexts) names.push_back(each.c_str());
    return names;
  }();
  return kNames;
}

constexpr const char* kForms[] = {"integer", "decimal", "hex", "mac", "uuid", "text", "bytes"};

std::span<const KeyRow> unitKeys() {
  static const KeyRow kFrom[] = {
      {"count", Kind::Address, "counts from"},
      {"to", Kind::Address, "to, included"},
      {"step", Kind::Number, "in steps of"},
      {"random", Kind::Flag, "drawn at random"},
      {"derived", Kind::File, "file with the secret that it is derived from"},
      {"of", Kind::Text, "and the field"},
      {"list", Kind::File, "list (CSV)"},
      {"column", Kind::Text, "column of the list"},
      {"text", Kind::Text, "text with {field}"},
      {"unique_id", Kind::Flag, "the memory's own unique ID"},
      {"given", Kind::Flag, "typed or scanned"},
      {"pattern", Kind::Text, "pattern that it has to fit"},
      {"date", Kind::Text, "day, like %Y-%m-%d"},
      {"checksum", Kind::Text, "checksum", false, sumNames()},
      {"over", Kind::Words, "of the fields"},
  };
  static const KeyRow kField[] = {
      needed("name", Kind::Text, "name"),         {"memory", Kind::Memory, "memory"},
      {"at", Kind::Address, "address"},           {"core", Kind::Core, "core"},
      {"word", Kind::Text, "configuration word"}, {"field", Kind::Text, "field of the word"},
      {"bytes", Kind::Number, "bytes"},           oneOf("as", "written as", kForms),
      oneOf("order", "byte order", kOrders),      {"fill", Kind::Address, "filled up with"},
      {"secret", Kind::Flag, "secret"},           {"from", Kind::Object, "values", true, {}, kFrom, std::size(kFrom)},
  };
  static const KeyRow kLimit[] = {
      {"units", Kind::Number, "units at most"},
      {"until", Kind::Text, "until, with this day"},
  };
  static const KeyRow kUnits[] = {
      needed("ledger", Kind::Text, "ledger"),
      {"fields", Kind::List, "unit fields", true, {}, kField, std::size(kField)},
      within("limit", Kind::Object, "limit", kLimit),
  };
  return kUnits;
}

std::span<const KeyRow> sumKeys() {
  static const KeyRow kSum[] = {
      needed("memory", Kind::Memory, "memory"),  {"kind", Kind::Text, "kind", true, sumNames()},
      needed("from", Kind::Address, "from"),     needed("to", Kind::Address, "to, included"),
      needed("at", Kind::Address, "written at"), oneOf("bytes", "byte order", kOrders),
  };
  return kSum;
}

KeyRow list(const char* key, const char* words, std::span<const KeyRow> rows) {
  return {key, Kind::List, words, false, {}, rows.data(), rows.size()};
}

}  // namespace

std::span<const KeyRow> sheetKeys() {
  static const KeyRow kSheet[] = {
      {"imprimo", Kind::Kept, "version of the format", true},
      {"title", Kind::Text, "title"},
      within("probe", Kind::Object, "probe", kProbe),
      within("chain", Kind::List, "devices", kDevice),
      within("cores", Kind::List, "cores", kCore),
      list("memories", "memories", memoryKeys()),
      within("placements", Kind::List, "files", kPlacement),
      within("configurations", Kind::List, "files of devices", kConfiguration),
      list("sums", "checksums", sumKeys()),
      within("edits", Kind::List, "typed bytes", kEdit),
      within("keep", Kind::List, "kept ranges", kRange),
      within("erase", Kind::List, "erase list", kRange),
      within("bookmarks", Kind::List, "bookmarks", kBookmark),
      within("pins", Kind::List, "pins", kPin),
      {"units", Kind::Object, "numbers of each unit", false, {}, unitKeys().data(), unitKeys().size()},
      {"after", Kind::Words, "afterwards"},
  };
  return kSheet;
}

std::span<const KeyRow> keysAt(std::string_view place) {
  std::span<const KeyRow> rows = sheetKeys();
  while (!place.empty()) {
    std::string_view key = place.substr(0, place.find('.'));
    place.remove_prefix(std::min(place.size(), key.size() + 1));
    if (key.ends_with("[]")) key.remove_suffix(2);
    const auto row = std::find_if(rows.begin(), rows.end(), [&](const KeyRow& each) { return each.key == key; });
    if (row == rows.end()) throw std::invalid_argument("no such object of the sheet");
    rows = row->inside();
  }
  return rows;
}

std::set<std::string> keyNames(std::string_view place) {
  std::set<std::string> names;
  for (const KeyRow& row : keysAt(place)) names.insert(row.key);
  return names;
}

}  // namespace imprimo::sheet
