// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/configure/config_card.h"

#include "core/configure/vector_procedure.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/input_file.h"
#include "core/base/json_text.h"
#include "core/base/number.h"
#include "core/bsdl/lexer.h"
#include "core/image/sync_word.h"

namespace imprimo::configure {
namespace {

constexpr double kMostSeconds = 600;
constexpr std::uint32_t kMostStatusBits = 256;

class Reader {
 public:
  Reader(const JsonText& json, const std::string& fileName, const bsdl::BoundaryDescription& device)
      : root_(json), device_(device) {
    card_.fileName = fileName;
  }

  ConfigCard read() {
    const JsonNode version = root_["imprimo_configuration"];
    if (version.number() != 1) version.fail("this program reads configuration cards of version 1");
    root_.onlyKnown({"imprimo_configuration", "name", "part", "data", "status", "runs", "secured", "usercode",
                     "configure", "restart"});
    card_.name = root_["name"].string();
    card_.entity = root_["part"].string();
    if (!bsdl::sameWord(card_.entity, device_.entity))
      root_["part"].fail(fmt::format("the card is for {}, this part is a {}", card_.entity, device_.entity));
    if (root_.has("data")) data(root_["data"]);
    if (root_.has("status")) status(root_["status"]);
    if (root_.has("runs")) card_.runs = wish(root_["runs"]);
    if (root_.has("secured")) card_.secured = wish(root_["secured"]);
    if (root_.has("usercode")) card_.usercode = instruction(root_["usercode"]);
    if (root_.has("configure")) card_.configure = steps(root_["configure"], true);
    if (root_.has("restart")) card_.restart = steps(root_["restart"], false);
    return std::move(card_);
  }

 private:
  std::string instruction(const JsonNode& node) const {
    std::string name = node.string();
    if (!device_.opcode(name)) node.fail(fmt::format("{} has no instruction {}", device_.entity, name));
    return name;
  }

  static ConfigCard::Number number(const JsonNode& node) {
    node.onlyKnown({"at", "size", "byte_order"});
    ConfigCard::Number n;
    n.at = node["at"].number();
    if (n.at > 1u << 20) node["at"].fail("should be soon after the sync word");
    if (node.has("size")) n.size = static_cast<unsigned>(node["size"].number());
    if (n.size < 1 || n.size > 8) node["size"].fail("should be 1 to 8 bytes");
    if (node.has("byte_order")) n.lowFirst = node["byte_order"].choice("high-first", "low-first");
    return n;
  }

  void data(const JsonNode& node) {
    node.onlyKnown({"first_bit", "bits", "sync", "idcode", "usercode", "length"});
    if (node.has("first_bit")) card_.highBitFirst = node["first_bit"].choice("low", "high");
    if (node.has("bits")) card_.bits = node["bits"].number();
    if (node.has("sync")) {
      const auto sync = parseByteDigits(node["sync"].string());
      if (!sync || sync->empty()) node["sync"].fail("should be bytes in digits, like \"9A 51 6C E1\"");
      card_.sync = *sync;
    }
    if (node.has("idcode")) card_.idcode = number(node["idcode"]);
    if (node.has("length")) card_.length = number(node["length"]);
    if (node.has("usercode")) card_.designCode = number(node["usercode"]);
    if (card_.sync.empty() && (card_.idcode || card_.length || card_.designCode))
      node.fail("idcode, usercode and length need a sync to count from");
  }

  void status(const JsonNode& node) {
    node.onlyKnown({"instruction", "capture", "size", "bits", "trouble"});
    StatusRegister s;
    if (node.has("capture")) {
      if (!node["capture"].boolean() || node.has("instruction"))
        node["capture"].fail("stands alone, as true, where Capture-IR tells the status; otherwise name an instruction");
      s.size = device_.instructionLength;
    } else {
      s.instruction = instruction(node["instruction"]);
      s.size = static_cast<std::uint32_t>(std::min<std::uint64_t>(node["size"].number(), kMostStatusBits + 1));
      if (s.size == 0 || s.size > kMostStatusBits) node["size"].fail(fmt::format("should be 1 to {}", kMostStatusBits));
    }
    const JsonNode names = node["bits"].object();
    for (const std::string& key : names.keys()) {
      const JsonNode entry = names[key];
      const auto number = parseNumber(key);
      if (!number || *number >= s.size) entry.fail(fmt::format("a bit's number is 0 to {}", s.size - 1));
      if (s.find(entry.string()) != nullptr) entry.fail("two bits have this name");
      s.bits.push_back({static_cast<std::uint32_t>(*number), entry.string(), false});
    }
    std::sort(s.bits.begin(), s.bits.end(), [](const auto& a, const auto& b) { return a.number < b.number; });
    if (node.has("trouble")) {
      for (const JsonNode& name : node["trouble"].elements()) {
        auto* bit = const_cast<StatusRegister::Bit*>(s.find(name.string()));
        if (bit == nullptr) name.fail("no status bit has this name");
        bit->trouble = true;
      }
    }
    card_.status = std::move(s);
  }

  StatusWish wish(const JsonNode& node) const {
    if (!card_.status) node.fail("status bits are looked at, but the card has no status in front");
    StatusWish w;
    for (const std::string& key : node.keys()) {
      const StatusRegister::Bit* bit = card_.status->find(key);
      if (bit == nullptr) node.fail(fmt::format("no status bit is named {}", key));
      const std::uint64_t level = node[key].number();
      if (level > 1) node[key].fail("a bit is 0 or 1");
      w.bits.emplace_back(bit->number, level == 1);
    }
    if (w.bits.empty()) node.fail("names no bit, so nothing would tell that it is so");
    return w;
  }

  static double time(const JsonNode& node) {
    const double seconds = node.real();
    if (!(seconds >= 0 && seconds <= kMostSeconds)) node.fail(fmt::format("should be 0 to {} seconds", kMostSeconds));
    return seconds;
  }

  void waits(const JsonNode& node, CardStep& step) const {
    if (node.has("clocks")) {
      const std::uint64_t clocks = node["clocks"].number();
      if (clocks > 100'000'000) node["clocks"].fail("so many clocks would take minutes");
      step.clocks = static_cast<std::uint32_t>(clocks);
    }
    if (node.has("seconds")) step.seconds = time(node["seconds"]);
  }

  CardStep doStep(const JsonNode& node) const {
    node.onlyKnown({"do", "value", "bits", "clocks", "seconds", "title"});
    CardStep step;
    step.instruction = instruction(node["do"]);
    if (node.has("value")) {
      std::string digits = node["value"].string();
      if (digits.starts_with("0x") || digits.starts_with("0X")) digits.erase(0, 2);
      const std::uint64_t bits = node["bits"].number();
      if (bits == 0 || bits > 1u << 20) node["bits"].fail("should be the length of the register");
      const auto value = BitVector::fromDigits(digits, bits);
      if (!value) node["value"].fail(fmt::format("is no hexadecimal value of {} bits", bits));
      step.value = *value;
    }
    waits(node, step);
    step.title = step.instruction;
    if (!step.value.empty()) step.title += " " + step.value.digits();
    if (step.clocks > 0) step.title += fmt::format(", {} clocks", step.clocks);
    if (step.seconds > 0) step.title += ", " + durationText(step.seconds);
    return step;
  }

  CardStep one(const JsonNode& node, bool withData) const {
    CardStep step;
    if (node.object().has("do")) {
      step = doStep(node);
    } else if (node.has("data")) {
      node.onlyKnown({"data", "clocks", "seconds", "title"});
      if (!withData) node["data"].fail("only \"configure\" has a file's data");
      step.kind = CardStep::Kind::Data;
      step.instruction = instruction(node["data"]);
      waits(node, step);
      step.title = fmt::format("Shift the file into {}", step.instruction);
    } else if (node.has("until")) {
      node.onlyKnown({"until", "at_most", "title"});
      step.kind = CardStep::Kind::Until;
      step.wish = wish(node["until"]);
      if (!node.has("at_most")) node.fail("without at_most (seconds) this step could wait for ever");
      step.atMost = time(node["at_most"]);
      step.title = "Wait until " + step.wish.text(*card_.status);
    } else if (node.has("expect")) {
      node.onlyKnown({"expect", "title"});
      step.kind = CardStep::Kind::Expect;
      step.wish = wish(node["expect"]);
      step.title = "Check " + step.wish.text(*card_.status);
    } else if (node.has("reset")) {
      node.onlyKnown({"reset", "title"});
      if (!node["reset"].boolean()) node["reset"].fail("should be true");
      step.kind = CardStep::Kind::Reset;
      step.title = "Test-Logic-Reset";
    } else if (node.has("play")) {
      node.onlyKnown({"play", "title"});
      step.kind = CardStep::Kind::Play;
      step.file = std::filesystem::path(card_.fileName).parent_path() / node["play"].string();
      if (!isVectorFile(step.file)) node["play"].fail("should be a file of vectors (.svf)");
      step.title = "Play " + step.file.filename().string();
    } else {
      node.fail("should have one of do, data, until, expect, reset and play");
    }
    if (node.has("title")) step.title = node["title"].string();
    step.path = node.path();
    return step;
  }

  std::vector<CardStep> steps(const JsonNode& list, bool withData) const {
    std::vector<CardStep> result;
    for (const JsonNode& node : list.elements()) result.push_back(one(node, withData));
    if (result.empty()) list.fail("has no steps");
    const auto isData = [](const CardStep& s) { return s.kind == CardStep::Kind::Data; };
    const auto data = std::count_if(result.begin(), result.end(), isData);
    const bool plays =
        std::any_of(result.begin(), result.end(), [](const CardStep& s) { return s.kind == CardStep::Kind::Play; });
    if (withData && data != 1 && !(plays && data == 0))
      list.fail(fmt::format("the file's data goes in once; \"data\" stands here {} times", data));
    return result;
  }

  JsonNode root_;
  const bsdl::BoundaryDescription& device_;
  ConfigCard card_;
};

/// What stands behind the sync word; nothing where there is none.
std::optional<ByteSpan> behindSync(const ConfigCard& card, ByteSpan bytes) {
  const auto found = std::search(bytes.begin(), bytes.end(), card.sync.begin(), card.sync.end());
  if (card.sync.empty() || found == bytes.end()) return std::nullopt;
  return bytes.subspan(static_cast<std::size_t>(found - bytes.begin()) + card.sync.size());
}

}  // namespace

bool ConfigCard::takesFile() const {
  return std::any_of(configure.begin(), configure.end(),
                     [](const CardStep& s) { return s.kind == CardStep::Kind::Data; });
}

const StatusRegister::Bit* StatusRegister::find(std::string_view name) const {
  const auto it = std::find_if(bits.begin(), bits.end(), [&](const Bit& b) { return b.name == name; });
  return it == bits.end() ? nullptr : &*it;
}

bool StatusWish::holds(const BitVector& status) const {
  return std::all_of(bits.begin(), bits.end(),
                     [&](const auto& b) { return b.first < status.size() && status[b.first] == b.second; });
}

std::string StatusWish::text(const StatusRegister& in, const BitVector* status) const {
  std::string words;
  for (const auto& [number, level] : bits) {
    if (status != nullptr && number < status->size() && (*status)[number] == level) continue;
    const auto bit =
        std::find_if(in.bits.begin(), in.bits.end(), [n = number](const auto& b) { return b.number == n; });
    const bool shown = status == nullptr ? level : number < status->size() && (*status)[number];
    words += fmt::format("{}{} = {}", words.empty() ? "" : ", ",
                         bit == in.bits.end() ? fmt::format("bit {}", number) : bit->name, shown ? 1 : 0);
  }
  return words;
}

ConfigCard parseConfigCard(std::string_view text, const std::string& fileName,
                           const bsdl::BoundaryDescription& device) {
  const JsonText json = JsonText::parse(text, fileName);
  return Reader(json, fileName, device).read();
}

ConfigCard readConfigCard(const std::filesystem::path& path, const bsdl::BoundaryDescription& device) {
  return parseConfigCard(readTextFile(path, kCardFile), path.string(), device);
}

std::optional<std::string> entityOfCard(std::string_view text) {
  try {
    const JsonText json = JsonText::parse(text, "");
    const JsonNode root(json);
    if (!root.has("imprimo_configuration") || !root.has("part")) return std::nullopt;
    return root["part"].isText() ? std::optional(root["part"].string()) : std::nullopt;
  } catch (const Error&) {
    return std::nullopt;  // whatever else it is
  }
}

std::optional<std::uint64_t> numberIn(const ConfigCard& card, const ConfigCard::Number& number, ByteSpan bytes) {
  const auto behind = behindSync(card, bytes);
  if (!behind || behind->size() < number.at + number.size) return std::nullopt;
  std::uint64_t value = 0;
  for (unsigned i = 0; i < number.size; ++i)
    value = value << 8 | (*behind)[number.at + (number.lowFirst ? number.size - 1 - i : i)];
  return value;
}

void checkData(const ConfigCard& card, const ConfigData& data, const std::vector<bsdl::Pattern>& idcodes) {
  const auto bad = [&](const std::string& what, const char* remedy) {
    throw Error(ErrorKind::BadFile, fmt::format("{}: {}", data.file, what), remedy);
  };
  if (card.bits && data.bits() != *card.bits) {
    bad(fmt::format("has {} bits, {} takes {}: {} bits too {}", data.bits(), card.entity, *card.bits,
                    std::max(data.bits(), *card.bits) - std::min(data.bits(), *card.bits),
                    data.bits() < *card.bits ? "few" : "many"),
        "The file was cut off, or is for another part.");
  }
  if (card.sync.empty()) return;
  if (data.format != ConfigData::Format::Raw) {
    bad(fmt::format("is a {}; {} takes a bitstream that begins with its sync word",
                    data.format == ConfigData::Format::Fuses ? "fuse file" : "data file of IEEE 1532", card.entity),
        "Is it the file for another part?");
  }
  const auto found = behindSync(card, data.bytes);
  if (!found) {
    bad(fmt::format("the sync word that a bitstream of {} begins with is nowhere in it", card.entity),
        "Is it a bitfile with a header (then give its wrapper card), or one with its bits the wrong way round?");
  }
  const ByteSpan behind = *found;
  for (const auto& n : {card.idcode, card.length}) {
    if (n && behind.size() < n->at + n->size) bad("ends inside its header: it was cut off", "Generate it again.");
  }
  if (card.idcode) {
    const auto code = static_cast<std::uint32_t>(*numberIn(card, *card.idcode, data.bytes));
    const bool fits = idcodes.empty() || std::any_of(idcodes.begin(), idcodes.end(),
                                                     [&](const bsdl::Pattern& p) { return p.matches(code); });
    if (!fits) {
      bad(fmt::format("the bitstream is for a part with IDCODE {}, this one has 0x{:08x}", hexIdcode(code),
                      idcodes.front().value),
          "Nothing was touched. Take the bitstream that was made for this part.");
    }
  }
  if (card.length) {
    const std::uint64_t says = *numberIn(card, *card.length, data.bytes);
    const std::uint64_t has = behind.size() + card.sync.size();
    if (says != has) {
      bad(fmt::format("says that it has {} bytes from its sync word on, and has {}: {} too {}", says, has,
                      std::max(says, has) - std::min(says, has), has < says ? "few" : "many"),
          "It was cut off, or something was added after it.");
    }
  }
}

}  // namespace imprimo::configure
