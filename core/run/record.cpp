// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/record.h"

#include "core/base/atomic_file.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/image/checksum.h"

namespace imprimo::run {

const char* nameOf(Outcome outcome) {
  switch (outcome) {
    case Outcome::Verified:
      return "verified";
    case Outcome::Programmed:
      return "programmed";
    case Outcome::Match:
      return "match";
    case Outcome::Mismatch:
      return "mismatch";
    case Outcome::Erased:
      return "erased";
    case Outcome::Blank:
      return "blank";
    case Outcome::NotBlank:
      return "not-blank";
    case Outcome::Read:
      return "read";
    case Outcome::Configured:
      return "configured";
    case Outcome::Played:
      return "played";
    case Outcome::Done:
      return "done";
    case Outcome::Sound:
      return "sound";
    case Outcome::NotSound:
      return "not-sound";
    case Outcome::Planned:
      return "planned";
    case Outcome::Refused:
      return "refused";
    case Outcome::Stopped:
      return "stopped";
    case Outcome::Failed:
      return "failed";
  }
  return "unknown";
}

nlohmann::ordered_json wordJson(const WordRan& word) {
  nlohmann::ordered_json json = {{"name", word.name}, {"before", word.before}};
  if (!word.planned.empty()) json["planned"] = word.planned;
  if (!word.after.empty()) json["after"] = word.after;
  return json;
}

nlohmann::ordered_json heardJson(const console::Speech& heard) {
  nlohmann::ordered_json json = {{"wanted", heard.wanted}, {"seen", heard.seen}, {"seconds", heard.seconds}};
  if (heard.lost > 0) json["lost"] = heard.lost;
  if (heard.exit) json["exit"] = *heard.exit;
  json["text"] = heard.text;
  return json;
}

nlohmann::ordered_json deviceJson(const bench::DeviceReport& device) {
  nlohmann::ordered_json json = {{"name", device.name}};
  if (device.usercode) json["usercode"] = hexIdcode(*device.usercode);
  if (device.runs) json["runs"] = *device.runs;
  for (const bench::DeviceReport::Bit& bit : device.bits) json["status"][bit.name] = bit.set ? 1 : 0;
  return json;
}

double Record::secondsOf(plan::StepKind kind) const {
  double sum = 0;
  for (const RanStep& ran : steps) {
    if (ran.step.kind == kind) sum += ran.seconds;
  }
  return sum;
}

void Record::fails(const Error& why) {
  error = why.kind();
  help = why.help();
  helpWith = why.helpWith();
}

bool Record::good() const {
  switch (outcome) {
    case Outcome::Mismatch:
    case Outcome::NotBlank:
    case Outcome::NotSound:
    case Outcome::Refused:
    case Outcome::Stopped:
    case Outcome::Failed:
      return false;
    default:
      return true;
  }
}

nlohmann::ordered_json unitJson(const units::Unit& unit) {
  nlohmann::ordered_json json = {{"id", unit.id}, {"ledger", unit.ledger}, {"state", unit.state}};
  json["fields"] = nlohmann::ordered_json::object();
  for (const auto& [name, value] : unit.fields) json["fields"][name] = value;
  return json;
}

std::string Record::text() const {
  using Json = nlohmann::ordered_json;
  const auto range = [](const AddressRange& r) {
    return Json{{"from", hexAddress(r.begin)}, {"to", hexAddress(r.end - 1)}};
  };
  Json json = {
      {"imprimo_record", 1}, {"started", startedAt},      {"sheet", sheet},    {"title", title}, {"probe", probe},
      {"memory", memory},    {"result", nameOf(outcome)}, {"message", message}};
  if (error) json["kind"] = imprimo::nameOf(*error);
  if (help != Help::None) json["help"] = imprimo::nameOf(help);
  json["changed"] = changed;
  json["seconds"] = seconds;
  if (!probeSerial.empty()) json["probe_serial"] = probeSerial;
  if (unit) json["unit"] = unitJson(*unit);
  if (!plannedHash.empty()) json["planned_sha256"] = plannedHash;
  if (!foundHash.empty()) json["found_sha256"] = foundHash;
  if (!device.empty()) json["device"] = device;
  if (bits > 0) json["bits"] = bits;
  json["bytes"] = bytes;
  if (!backup.empty()) json["backup"] = backup.string();
  if (first) {
    json["first"] = {{"address", hexAddress(first->address)}};
    if (!first->secret) {
      json["first"]["expected"] = hexByte(first->expected);
      json["first"]["found"] = hexByte(first->found);
    }
    json["differences"] = differences;
  }
  for (const AddressRange& r : different) json["different"].push_back(range(r));
  for (const Looked& l : looked) {
    Json entry = {{"at", hexAddress(l.address)}, {"name", l.name}, {"found", digitsOf(l.found)}};
    if (!l.expected.empty()) entry["expected"] = digitsOf(l.expected);
    entry["as_expected"] = l.asExpected();
    json["bookmarks"].push_back(std::move(entry));
  }
  if (watched) json["watched"] = {{"verdict", debug::nameOf(watched->verdict)}, {"words", watched->words()}};
  if (heard) json["heard"] = heardJson(*heard);
  for (const WordRan& word : words) json["words"].push_back(wordJson(word));
  if (trial) json["trial"] = trial->text();
  for (const bench::DeviceReport& report : devices) json["parts"].push_back(deviceJson(report));
  json["erased"] = Json::array();
  for (const AddressRange& r : erased) json["erased"].push_back(range(r));
  json["steps"] = Json::array();
  for (const RanStep& ran : steps) {
    Json step = {{"kind", nameOf(ran.step.kind)}, {"title", ran.step.title},       {"why", ran.step.why},
                 {"bytes", ran.step.bytes()},     {"estimated", ran.step.seconds}, {"begun", ran.begun},
                 {"seconds", ran.seconds},        {"finished", ran.finished}};
    if (ran.step.bits() > 0) step["bits"] = ran.step.bits();
    if (!ran.step.extent().empty()) step["range"] = range(ran.step.extent());
    if (!ran.note.empty()) step["note"] = ran.note;
    json["steps"].push_back(std::move(step));
  }
  return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace imprimo::run
