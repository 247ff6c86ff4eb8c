// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/letter_case.h"
#include "core/base/number.h"
#include "core/packs/chip_text.h"
#include "core/packs/pack_library.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "ctl/output_file.h"

namespace imprimo::ctl {
namespace {

struct PacksOptions : CommonOptions {
  std::string action, pack, output;
  std::vector<std::string> what;
};

void addOptions(OptionList& own, PacksOptions& options) {
  own.option("ACTION", options.action, "add, find, show or card; none: list the packs of the library");
  own.option("WHAT", options.what, "files for add, words for find, a device's name for show and card");
  own.option("--pack", options.pack, "a pack's file, or its name in the library; all of the library if not given")
      .typeName("PACK");
  own.option("-o,--output", options.output, "with card: the core card; its algorithms are written beside it")
      .typeName("FILE");
}

Json packJson(const packs::IndexedPack& pack) {
  return {{"file", pack.file.filename().string()},
          {"vendor", pack.vendor},
          {"name", pack.name},
          {"version", pack.version},
          {"devices", pack.devices.size()}};
}

std::string packText(const packs::IndexedPack& pack) {
  return fmt::format("{:<40} {} {} {}, {}\n", pack.file.filename().string(), pack.vendor, pack.name, pack.version,
                     countText(pack.devices.size(), "device"));
}

int tellPacks(std::span<const packs::IndexedPack> list, const PacksOptions& options, const Context& context) {
  Json json = Json::array();
  for (const packs::IndexedPack& pack : list) {
    json.push_back(packJson(pack));
    if (!options.json) context.out << packText(pack);
  }
  if (options.json) {
    print(context, {{"packs", std::move(json)}});
  } else if (list.empty()) {
    context.out << "The library has no packs. Add one with imprimoctl packs add FILE.\n";
  }
  return 0;
}

packs::PackLibrary openLibrary(const Context& context) {
  packs::PackLibrary library;
  for (const std::string& warning : library.warnings()) context.err << "imprimoctl: warning: " << warning << "\n";
  return library;
}

int addPacks(const PacksOptions& options, const Context& context) {
  if (options.what.empty()) throw Error(ErrorKind::Usage, "add takes the files of packs");
  std::vector<packs::IndexedPack> added;
  for (const std::string& file : options.what) added.push_back(packs::addPack(file));
  return tellPacks(added, options, context);
}

int findDevices(const PacksOptions& options, const Context& context) {
  std::string text;
  for (const std::string& word : options.what) text += word + " ";
  const packs::PackLibrary library = openLibrary(context);
  Json json = Json::array();
  const auto found = library.find(text);
  for (const auto& [pack, device] : found) {
    json.push_back({{"name", device->name},
                    {"vendor", device->vendor},
                    {"family", device->family},
                    {"core", device->core},
                    {"pack", pack->file.filename().string()}});
    if (!options.json)
      context.out << fmt::format("{:<24} {:<14} {:<20} {}\n", device->name, device->core, device->vendor,
                                 pack->file.filename().string());
  }
  if (options.json) print(context, {{"devices", std::move(json)}});
  if (!found.empty()) return 0;
  if (!options.json) context.err << "No device of the library is named like that.\n";
  return 1;
}

/// The device that is meant, and its pack.
std::pair<std::filesystem::path, std::string> meant(const PacksOptions& options, const Context& context) {
  if (options.what.size() != 1) throw Error(ErrorKind::Usage, fmt::format("{} takes one device", options.action));
  const std::string& name = options.what.front();
  if (!options.pack.empty()) return {packs::findPack(options.pack, "."), name};
  const packs::PackLibrary library = openLibrary(context);
  const auto [plain, processor] = packs::nameAndProcessor(name);
  std::vector<std::filesystem::path> files;
  for (const auto& [pack, device] : library.find(plain)) {
    if (!sameButForCase(packs::nameAndProcessor(device->name).first, plain)) continue;
    if (files.empty() || files.back() != pack->file) files.push_back(pack->file);
  }
  if (files.size() == 1) return {files.front(), name};
  if (files.empty())
    throw Error(ErrorKind::Usage, fmt::format("the library has no device named {}", plain),
                "Look for it with imprimoctl packs find, or add its pack.");
  throw Error(ErrorKind::Usage, fmt::format("{} packs of the library have a device named {}", files.size(), plain),
              fmt::format("Say which is meant: --pack {}.", files.front().filename().string()));
}

int showDevice(const PacksOptions& options, const Context& context) {
  const auto [file, name] = meant(options, context);
  const std::shared_ptr<const packs::Chip> chip = packs::readChip(file, name);
  const std::string text = packs::chipText(*chip, file);
  if (!options.json) {
    context.out << text;
    return 0;
  }
  Json regions = Json::array(), sequences = Json::array();
  for (const debug::CoreRegion& region : chip->card.regions)
    regions.push_back({{"name", region.name},
                       {"kind", region.flash ? "flash" : "ram"},
                       {"from", hexAddress(region.range.begin)},
                       {"to", hexAddress(region.range.end - 1)}});
  for (const packs::PackSequence& sequence : chip->device.sequences) {
    if (!sequence.disabled) sequences.push_back(sequence.name);
  }
  print(context, {{"name", chip->device.name},
                  {"vendor", chip->device.vendor},
                  {"pack", file.filename().string()},
                  {"ap", chip->card.accessPort.value_or(0)},
                  {"regions", std::move(regions)},
                  {"sequences", std::move(sequences)}});
  return 0;
}

int writeCard(const PacksOptions& options, const Context& context) {
  if (options.output.empty()) throw Error(ErrorKind::Usage, "card needs -o and the file of the card");
  const auto [file, name] = meant(options, context);
  const auto pack = std::make_shared<const packs::PackFile>(file);
  const packs::PackDescription description(pack->description(), file.string());
  const packs::PackDevice device = description.device(name);
  const debug::CoreCard card =
      packs::chipCard(pack, device, packs::processorOf(device, packs::nameAndProcessor(name).second));
  requireNoInput(options.output, options, {{file.string()}, {}});
  packs::writeCardWithAlgorithms(card, *pack, options.output);
  if (options.json) {
    print(context, {{"card", options.output}, {"ap", card.accessPort.value_or(0)}});
  } else {
    context.out << fmt::format("{}: {} of {}\n", options.output, card.name, file.filename().string());
    if (card.accessPort.value_or(0) != 0)
      context.out << fmt::format("A core that has this card needs \"ap\": {} in the sheet.\n", *card.accessPort);
  }
  return 0;
}

int runPacks(const PacksOptions& options, const Context& context) {
  if (options.action.empty()) return tellPacks(openLibrary(context).packs(), options, context);
  if (options.action == "add") return addPacks(options, context);
  if (options.action == "find") return findDevices(options, context);
  if (options.action == "show") return showDevice(options, context);
  if (options.action == "card") return writeCard(options, context);
  throw Error(ErrorKind::Usage, fmt::format("packs knows no {}", options.action), "It takes add, find, show or card.");
}

}  // namespace

CommandRow packsCommand() {
  return commandRow<PacksOptions>("packs", "the user's packs, and the chips that they describe", addOptions, runPacks);
}

}  // namespace imprimo::ctl
