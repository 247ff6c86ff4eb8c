// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/unit_run.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "core/image/sync_word.h"
#include "core/units/forms.h"
#include "records/secret_hash.h"
#include "records/store_seams.h"
#include "records/unit_seams.h"

namespace imprimo::records {
namespace {

using units::Field;
using units::Source;

units::Definition definitionOf(const sheet::Sheet& sheet) {
  if (!sheet.units)
    throw Error(ErrorKind::Usage, "the sheet says nothing of numbers for units",
                "Define them under \"units\" in the sheet.");
  return *sheet.units;
}

void requireTaken(const units::Definition& definition, const std::map<std::string, std::string>& given) {
  for (const auto& [name, value] : given) {
    const Field* field = definition.field(name);
    if (field == nullptr) throw Error(ErrorKind::Usage, fmt::format("the units have no field named {}", name));
    if (field->source.kind != Source::Given)
      throw Error(ErrorKind::Usage, fmt::format("field {} is not given by hand", name));
  }
}

bool isBlank(const Bytes& bytes) {
  return std::all_of(bytes.begin(), bytes.end(), [](std::uint8_t byte) { return byte == 0xFF; });
}

std::chrono::sys_days today() {
  return std::chrono::floor<std::chrono::days>(std::chrono::system_clock::now());
}

}  // namespace

std::optional<std::uint64_t> unitNumber(const std::string& text) {
  if (text == "next") return std::nullopt;
  const auto id = parseNumber(text);
  if (!id || *id == 0)
    throw Error(ErrorKind::Usage, "'" + text + "' is no unit", "It is \"next\", or the number of a unit.");
  return id;
}

UnitRun::UnitRun(const sheet::Sheet& sheet, Database& database, WhichUnit which)
    : sheet_(sheet),
      maker_(definitionOf(sheet), sheet.folder()),
      ledger_(database, maker_),
      which_(std::move(which)),
      run_(freshRunName()) {
  requireTaken(maker_.definition(), which_.given);
  unit_.ledger = ledger_.name();
  if (which_.setAside) ledger_.tell(letWait);
}

UnitRun::~UnitRun() {
  if (settled_ || !reserved_) return;
  try {
    settle(false, "it ended early");
  } catch (const std::exception&) {
    // The reservation, or "failed", is what the ledger says then; both are true.
  }
}

units::Inputs UnitRun::inputs(bench::Bench* bench) const {
  units::Inputs inputs;
  inputs.given = which_.given;
  inputs.today = today();
  if (bench != nullptr) {
    inputs.uniqueId = [bench](const std::string& memory) {
      const std::string id = bench->at(memory).copyOf(false).uniqueId;
      return id.empty() ? std::optional<Bytes>() : parseByteDigits(id);
    };
  }
  return inputs;
}

/// Fields without a value that nothing but a person, or the part, could give.
void UnitRun::requireAll(const units::Values& values) const {
  for (const std::string& name : maker_.missingIn(values)) {
    const Field& field = *maker_.definition().field(name);
    if (field.source.kind == Source::Given) {
      throw Error(ErrorKind::Usage, fmt::format("field {} of the unit is given by hand, and was not", name),
                  "Type it or scan it. Nothing was reserved.");
    }
    if (field.source.kind == Source::UniqueId)
      throw Error(ErrorKind::Refused, fmt::format("{} has no unique ID for field {}", field.memory, name),
                  "Nothing was reserved.");
  }
}

sheet::Sheet UnitRun::with(const units::Values& values, bool onlyKnown) const {
  sheet::Sheet sheet = sheet_;
  for (const Field& field : maker_.definition().fields) {
    const auto at = values.find(field.name);
    if (at == values.end() && onlyKnown) continue;
    if (!field.memory.empty()) {
      sheet.unitBytes.push_back({field.name, field.memory, field.at,
                                 at == values.end() ? Bytes(field.bytes) : at->second.bytes, field.secret});
      continue;
    }
    if (at == values.end()) continue;
    const auto core =
        std::find_if(sheet.cores.begin(), sheet.cores.end(), [&](const auto& each) { return each.name == field.core; });
    const auto number = units::numberOf(field, at->second.text);
    if (core == sheet.cores.end() || !number || *number > UINT32_MAX)
      throw Error(ErrorKind::Usage,
                  fmt::format("'{}' does not fit configuration word {}", at->second.text, field.word));
    sheet::WordWish wish;
    wish.word = field.word;
    if (!field.wordField.empty()) wish.field = field.wordField;
    wish.value = static_cast<std::uint32_t>(*number);
    core->words.push_back(std::move(wish));
  }
  return sheet;
}

void UnitRun::show(const units::Values& values) {
  unit_.fields.clear();
  for (const Field& field : maker_.definition().fields) {
    const auto at = values.find(field.name);
    if (at != values.end()) unit_.fields[field.name] = field.secret ? secretHash(at->second.text) : at->second.text;
  }
}

sheet::Sheet UnitRun::planned(bool onlyKnown) {
  units::Inputs known = inputs(nullptr);
  if (which_.id) {
    unit_.id = *which_.id;
    for (const auto& [name, text] : ledger_.unit(unit_.id).fields) {
      const Field* field = maker_.definition().field(name);
      if (field != nullptr && !field->secret) known.known[name] = text;
    }
  } else {
    unit_.id = ledger_.next();
  }
  const units::Values values = maker_.make(unit_.id - 1, known);
  for (const std::string& name : maker_.missingIn(values)) {
    if (!onlyKnown && maker_.definition().field(name)->source.kind == Source::Given) requireAll(values);
  }
  show(values);
  return with(values, onlyKnown);
}

std::string UnitRun::boardOf(bench::Bench& bench) const {
  for (const Field& field : maker_.definition().fields) {
    if (field.memory.empty()) continue;
    const memory::CopyOf of = bench.at(field.memory).copyOf(false);
    if (!of.uniqueId.empty()) return of.identity + " " + of.uniqueId;
  }
  return {};
}

std::map<std::string, Bytes> UnitRun::found(bench::Bench& bench, const ReadRanges& read) const {
  std::map<std::string, std::vector<AddressRange>> ranges;
  for (const Field& field : maker_.definition().fields) {
    if (!field.memory.empty()) ranges[field.memory].push_back(field.range());
  }
  for (auto& [memory, list] : ranges) {
    std::sort(list.begin(), list.end(), [](const auto& a, const auto& b) { return a.begin < b.begin; });
    read(memory, list);
  }
  std::map<std::string, Bytes> found;
  for (const Field& field : maker_.definition().fields) {
    if (!field.memory.empty() && bench.at(field.memory).contents().isSure(field.range()))
      found[field.name] = bench.at(field.memory).contents().bytes(field.range());
  }
  return found;
}

/// Every value that may be compared stands on the board as the ledger has it.
bool UnitRun::agrees(const UnitRow& row, const std::map<std::string, Bytes>& found) const {
  std::size_t compared = 0;
  for (const Field& field : maker_.definition().fields) {
    const auto text = row.fields.find(field.name);
    const auto bytes = found.find(field.name);
    if (text == row.fields.end() || bytes == found.end()) continue;
    const bool same = field.secret ? secretHash(units::textOf(field, bytes->second)) == text->second
                                   : units::bytesOf(field, text->second) == bytes->second;
    if (!same && !(field.secret && !text->second.starts_with("hash:"))) return false;
    ++compared;
  }
  return compared > 0;
}

std::optional<UnitRow> UnitRun::known(const std::map<std::string, Bytes>& found, const std::string& board) {
  if (auto row = ledger_.onBoard(board); row && row->state != UnitState::Void) return row;
  for (const Field& field : maker_.definition().fields) {
    const auto bytes = found.find(field.name);
    if (bytes == found.end() || isBlank(bytes->second)) continue;
    auto row = ledger_.withValue(field, units::textOf(field, bytes->second));
    if (row && row->state != UnitState::Void && row->state != UnitState::Reserved && agrees(*row, found)) return row;
  }
  return std::nullopt;
}

void UnitRun::requireSameBoard(const UnitRow& row, const std::map<std::string, Bytes>& found,
                               const std::string& board) const {
  if (row.state != UnitState::Reserved && row.state != UnitState::Failed) {
    throw Error(ErrorKind::Refused, fmt::format("unit {} is {}", row.id, nameOf(row.state)),
                "Only a unit that is reserved or failed can be done again.");
  }
  if (row.state == UnitState::Reserved) return;
  if (!row.board.empty() && !board.empty()) {
    if (row.board == board) return;
    throw Error(ErrorKind::Refused,
                fmt::format("unit {} was on another board: {}, and this one is {}", row.id, row.board, board),
                "Nothing was written. Put its own board in, or take the next unit.");
  }
  const bool others = std::any_of(found.begin(), found.end(), [](const auto& each) { return !isBlank(each.second); });
  if (!others || agrees(row, found)) return;
  throw Error(ErrorKind::Refused,
              fmt::format("whether this is the board of unit {} cannot be known: it holds other values", row.id),
              "Nothing was written. Erase it first if it is, or take the next unit.");
}

sheet::Sheet UnitRun::begin(bench::Bench& bench, const ReadRanges& read) {
  const std::map<std::string, Bytes> there = found(bench, read);
  const std::string board = boardOf(bench);
  units::Inputs known = inputs(&bench);
  known.secretRandom = units::randomBytes;
  std::optional<UnitRow> row;
  if (which_.id) {
    row = ledger_.unit(*which_.id);
    requireSameBoard(*row, there, board);
  } else if (!which_.renumber) {
    row = this->known(there, board);
    cameBack_ = row.has_value();
  }
  if (!row) {
    // What is missing is better known before a number is spent.
    known.random = units::randomBytes;
    requireAll(maker_.make(ledger_.next() - 1, known));
    row = ledger_.reserve(1, inputs(&bench), run_).front();
  }
  unit_.id = row->id;
  before_ = row->state;
  reserved_ = true;
  for (const Field& field : maker_.definition().fields) {
    const auto text = row->fields.find(field.name);
    if (text == row->fields.end()) continue;
    if (!field.secret) known.known[field.name] = text->second;
    // A secret that is on the board already is this unit's own.
    const auto bytes = there.find(field.name);
    if (field.secret && bytes != there.end() && secretHash(units::textOf(field, bytes->second)) == text->second)
      known.known[field.name] = units::textOf(field, bytes->second);
  }
  known.random = units::randomBytes;
  const units::Values values = maker_.make(unit_.id - 1, known);
  requireAll(values);
  ledger_.complete(unit_.id, values, board, run_);
  show(values);
  unit_.state = nameOf(before_);
  return with(values);
}

run::RunSeams UnitRun::seams(const run::RunSeams& others) {
  notes_ = std::make_unique<Notes>(others.notes, unit_, [this] { begunWriting(); });
  records_ = std::make_unique<Records>(others.records, unit_);
  return {others.backups, *records_, *notes_};
}

void UnitRun::begunWriting() {
  if (writing_) return;
  ledger_.settle(unit_.id, UnitState::Failed, run_, "being written");
  writing_ = true;
}

void UnitRun::settle(bool good, const std::string& why) {
  settled_ = true;
  if (!reserved_) return unit_.state.clear();  // what was planned may be another station's by now
  const UnitState state = good                             ? UnitState::Used
                          : writing_                       ? UnitState::Failed
                          : before_ == UnitState::Reserved ? UnitState::Void
                                                           : before_;
  unit_.state = nameOf(state);
  // Nothing happened to a unit that came back.
  if (!good && !writing_ && before_ != UnitState::Reserved) return;
  const std::string run = run_ + (state == UnitState::Failed ? ":end" : "");
  try {
    ledger_.settle(unit_.id, state, run, why);
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::NoStore || which_.setAside) throw;
    // The board is as it is; the ledger hears of it when it is there again.
    letWait(ledger_.name(), {unit_.id, state, run, why, "", ""});
  }
}

}  // namespace imprimo::records
