// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/flash/part_card.h"
#include "core/flash/spi_nor.h"
#include "core/spi/spi_batch.h"

namespace imprimo::flash {

/// What a serial flash answers, whether or not anything describes it.
struct FlashEvidence {
  FlashId id;
  int idReads = 0;                                  ///< how many times the ID was read
  int idReadsEqual = 0;                             ///< how many of them were as the first
  std::optional<Sfdp> table;                        ///< its own tables, where they could be read
  std::string tableProblem;                         ///< why not, where there is a signature
  std::optional<FlashFacts::DeepPowerDown> asleep;  ///< it was in deep power-down and was woken like this
  Bytes signature;                                  ///< the first four bytes of the SFDP space
  std::vector<std::string> remarks;
};

/// Asks for ID and tables. `card` only says how the part is woken, and that a table that cannot be used does no harm.
/// Throws UnknownFlash when nothing answers, Refused when two reads differ.
FlashEvidence askFlash(spi::SpiPort& port, const std::string& name, const std::optional<PartCard>& card);

/// Whether a read at `size` begins anew at 0, as it does in a memory of that size; nothing where both places, or what
/// follows them, look alike anyway. For memories up to 16 MiB. Throws LinkLost.
std::optional<bool> wrapsAt(spi::SpiPort& port, std::uint64_t size);

/// Who a serial flash says it is, and how it is described.
struct FlashIdentity : memory::Details {
  FlashId id;
  int idReads = 0;       ///< how many times the ID was read
  int idReadsEqual = 0;  ///< how many of them were as the first
  bool sfdp = false;     ///< it has the SFDP signature
  memory::Geometry geometry;
  NorCommands commands;
  std::string source;         ///< "sfdp" or "card"
  std::optional<Sfdp> table;  ///< its own tables, where they could be read
  FlashFacts facts;
  std::vector<FlashRegister> registers;
  std::optional<memory::Protection> protection;
  std::optional<UniqueIdCommand> uniqueIdCommand;
  Bytes uniqueId;
  FoundModes found;
  std::vector<std::string> remarks;  ///< what a person should know: woken up, table and card disagree, …

  std::string card(const std::string& name, bool indent) const override;
  nlohmann::ordered_json json(const memory::Identity& identity, bool tables) const override;
  std::string text(const std::string& name, const memory::Identity& identity, bool tables) const override;
};

/// What everybody may know of it; the rest is its details.
memory::Identity identityOf(FlashIdentity flash);
/// Those of a serial flash; null for another kind of memory.
const FlashIdentity* flashOf(const memory::Identity& identity);

/// Looks for a card of a part that has no table of its own; nothing where there is none.
using CardFinder = std::function<std::optional<PartCard>(const FlashId&)>;

/// Reads ID and parameter table; a card, where given, must carry the same ID and size and goes before the table. A part
/// with neither is described by what `find` has. Sends
/// reads; where nothing answers also the commands that wake a sleeping part and reset it, and where a part over 16 MiB
/// does not say how it takes 4-byte addresses the ways to them, each proven by reading and left again. Throws
/// UnknownFlash when nothing answers or nothing describes the part, Refused when the card is for another part or two
/// reads differ.
FlashIdentity identifyFlash(spi::SpiPort& port, const std::string& name, const std::optional<PartCard>& card,
                            const CardFinder& find = {});

}  // namespace imprimo::flash
