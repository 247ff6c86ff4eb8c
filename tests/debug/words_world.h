// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/base/input_file.h"
#include "core/run/word_runs.h"
#include "core/store/copy_store.h"
#include "core/store/file_records.h"
#include "core/store/folder_notes.h"
#include "tests/support/core_world.h"

// A core with configuration words, and runs that write them.
namespace imprimo::test {

using run::RecordPtr;
using run::WordsWanted;

inline constexpr std::uint32_t kStart = 0x0, kAccess = 0x8;

/// The demo's card, whose words lie in a flash of their own; `steps`: they are written access by access instead.
inline std::string card(bool steps) {
  const std::string file = std::string(IMPRIMO_DEMO) + "/float/beck_k0_core.json";
  const Bytes bytes = readFile(file);
  std::string text(bytes.begin(), bytes.end());
  text.replace(text.find("beck_k0.flm"), 11, "a.flm");
  if (!steps) return text;
  const std::string region = R"("written": {"region": "words"})";
  // The controller's keys, its erase, which takes both words with it, and the programming of one.
  const std::string way = R"("written": {"steps": [
    {"write": {"at": "0x40010000", "value": "0x5A3C0001"}}, {"write": {"at": "0x40010000", "value": "0xC3A5FFFE"}},
    {"write": {"at": "0x4001000C", "value": "0x1FFF0000"}}, {"write": {"at": "0x40010004", "value": "0x42"}},
    {"wait": {"at": "0x40010008", "mask": "0x1", "value": "0x0"}, "seconds": 1},
    {"write": {"at": "0x40010004", "value": "0x1"}}, {"write": {"at": "WORD", "word": true}},
    {"wait": {"at": "0x40010008", "mask": "0x1", "value": "0x0"}, "seconds": 1},
    {"write": {"at": "PARTNER", "partner": true}},
    {"wait": {"at": "0x40010008", "mask": "0x1", "value": "0x0"}, "seconds": 1},
    {"write": {"at": "0x40010004", "value": "0x80"}}]})";
  const char* const places[][2] = {{"0x1FFF0000", "0x1FFF0004"}, {"0x1FFF0008", "0x1FFF000C"}};
  for (const auto& place : places) {
    std::string one = way;
    one.replace(one.find("WORD"), 4, place[0]);
    one.replace(one.find("PARTNER"), 7, place[1]);
    text.replace(text.find(region), region.size(), one);
  }
  return text;
}

inline CoreWorldOptions withWords(bool steps = false, const std::string& coreKeys = {}) {
  CoreWorldOptions o;
  o.core = R"(, "words_at": "0x1FFF0000", "locked": false)";
  o.times = R"({"sector": 0.03, "all": 0.05, "word": 0.0005})";
  const std::string text = card(steps);
  o.files = {{"words.json", Bytes(text.begin(), text.end())},
             {"beck_k0_words.flm", readFile(std::string(IMPRIMO_DEMO) + "/float/beck_k0_words.flm")}};
  o.described = R"("card": "words.json")";
  o.coreKeys = coreKeys;
  return o;
}

/// The seams of a run, in the world's folder.
struct Seams {
  explicit Seams(const CoreWorld& w)
      : backups(w.path("copies").toStdString()),
        records(w.path("records").toStdString()),
        notes(w.path("unfinished").toStdString()) {}
  store::CopyStore backups;
  store::FileRecordSink records;
  store::FolderNotes notes;
  run::RunSeams all{backups, records, notes};
};

inline RecordPtr carryOut(CoreWorld& w, const WordsWanted& wanted, bool onlyPlan = false) {
  Seams seams(w);
  run::RunObserver nobody;
  return run::writeWords(wanted, w.bench(), seams.all, nobody, {}, onlyPlan);
}

inline RecordPtr write(CoreWorld& w, std::vector<sheet::WordWish> wishes) {
  WordsWanted wanted;
  wanted.core = "core";
  wanted.wishes = std::move(wishes);
  return carryOut(w, wanted);
}

inline std::uint32_t wordAt(CoreWorld& w, std::uint32_t offset) {
  return loadLe32(w.chip().words()->bytes().data() + offset);
}

inline void put(CoreWorld& w, std::uint32_t offset, std::uint32_t value, std::uint32_t partner) {
  for (unsigned i = 0; i < 4; ++i) {
    w.chip().words()->bytes()[offset + i] = static_cast<std::uint8_t>(value >> (8 * i));
    w.chip().words()->bytes()[offset + 4 + i] = static_cast<std::uint8_t>(partner >> (8 * i));
  }
}

inline std::size_t openNotes(const CoreWorld& w) {
  return store::FolderNotes(w.path("unfinished").toStdString()).open().size();
}

}  // namespace imprimo::test
