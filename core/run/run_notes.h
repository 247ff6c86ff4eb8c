// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/address_range.h"
#include "core/base/error.h"
#include "core/run/backup_store.h"

namespace imprimo::run {

/// What a run is about to change, on disk before its first change and taken away after its confirmation: whoever meets
/// the memory next finds what has to be finished (docs/formats/unfinished.md).
struct RunNote {
  std::filesystem::path path;  ///< empty until it is stored
  std::string begun;           ///< UTC, ISO 8601
  memory::CopyOf of;
  std::string sheetFile;
  /// Who is at it: a note of a process that still runs is nobody else's. Empty when the run ended without finishing.
  std::string process;
  std::vector<AddressRange> blocks;  ///< erased or written in the run, in order
  std::vector<AddressRange> others;  ///< bytes in them that nobody planned to change; they are put back
  std::vector<AddressRange> kept;    ///< those of them that the sheet keeps
  bool pattern = false;              ///< a trial: the blocks may hold anything meanwhile
  std::string copy;                  ///< the file that has the others' bytes; empty: they were all blank
  /// Blocks beside them by which the board can be known again, and the CRC-32 of what they hold.
  struct Witness {
    AddressRange range;
    std::uint32_t crc = 0;
  };
  std::vector<Witness> witnesses;
  /// The register that protects, and what it held, while it may hold something else.
  std::optional<std::pair<std::string, std::uint8_t>> protection;
  /// How the part was found, as JSON text (memory::Memory::foundModes), where it could not be left so; empty: it could.
  std::string modes;
  /// The unit of a ledger that the run was for; empty and 0: none.
  std::string ledger;
  std::uint64_t unit = 0;
};

/// CRC-32 as IEEE 802.3 has it.
std::uint32_t crc32Of(ByteSpan bytes);

/// The note as text, and back. Throws BadFile with the key's path and line.
std::string noteText(const RunNote& note);
RunNote parseNote(std::string_view text, const std::string& fileName);

/// This process, told apart from one that gets its number later; and whether such a one still runs.
std::string thisProcess();
bool stillRuns(const std::string& process);

/// Work of an earlier run is unfinished, and whether this is the board that it was on cannot be known.
class UnfinishedWork : public Error {
 public:
  explicit UnfinishedWork(const std::string& what);
};

/// Where notes are while their runs have not ended.
class NoteStore {
 public:
  virtual ~NoteStore() = default;
  /// Returns when it is on disk; a note that was stored before takes its place. Throws CannotWrite: then nothing may be
  /// changed.
  virtual void put(RunNote& note) = 0;
  /// Takes it away. Throws CannotWrite.
  virtual void close(const RunNote& note) = 0;
  /// Those that are open, the oldest first. What cannot be read is left out, and named in `unreadable` if given.
  virtual std::vector<RunNote> open(std::vector<std::string>* unreadable = nullptr) const = 0;
};

}  // namespace imprimo::run
