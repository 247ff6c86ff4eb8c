// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/outcome_json.h"

#include "core/base/json.h"
#include "core/base/number.h"
#include "core/image/checksum.h"
#include "core/plan/step_kinds.h"
#include "ctl/help_words.h"

namespace imprimo::ctl {

using Json = nlohmann::ordered_json;
using plan::StepKind;
using run::Outcome;

/// sysexits.h: an internal software error.
constexpr int kFaultOfImprimo = 70;

int exitCodeOf(ErrorKind kind) {
  switch (kind) {
    case ErrorKind::ChainMismatch:
    case ErrorKind::NoBridge:
    case ErrorKind::UnknownFlash:
    case ErrorKind::Refused:
      return 1;
    case ErrorKind::Usage:
    case ErrorKind::BadFile:
      return 2;
    case ErrorKind::NoProbe:
    case ErrorKind::BrokenChain:
    case ErrorKind::LinkLost:
    case ErrorKind::NoStore:
      return 3;
    case ErrorKind::NotErased:
    case ErrorKind::NotProgrammed:
      return 4;
    case ErrorKind::CannotWrite:
      return 5;
    case ErrorKind::Stopped:
      return 130;
    case ErrorKind::Internal:
      return kFaultOfImprimo;
  }
  return 3;
}

int exitCodeOf(const run::Record& record) {
  if (record.good()) return 0;
  if (!record.error) return 1;  // the answer is no
  if (*record.error == ErrorKind::Stopped) return 130;
  if (*record.error == ErrorKind::Internal) return kFaultOfImprimo;
  return record.changed ? 4 : exitCodeOf(*record.error);
}

namespace {

/// What a dry run would do.
void addPlan(Json& json, const run::Record& record) {
  if (record.device.empty()) {
    json["bytes"] = record.plan->bytesToWrite();
  } else {
    json["device"] = record.device;
    json["bits"] = record.plan->bits();
  }
  json["steps"] = Json::array();
  for (const plan::Step& step : record.plan->steps) {
    Json entry = {{"kind", nameOf(step.kind)}};
    if (const AddressRange extent = step.extent(); !extent.empty()) {
      entry["from"] = hexAddress(extent.begin);
      entry["to"] = hexAddress(extent.end - 1);
      entry["ranges"] = Json::array();
      for (const AddressRange& r : step.places())
        entry["ranges"].push_back({{"from", hexAddress(r.begin)}, {"to", hexAddress(r.end - 1)}});
    }
    if (step.bits() > 0) entry["bits"] = step.bits();
    entry["bytes"] = step.bytes();
    entry["seconds"] = step.seconds;
    entry["why"] = step.why;
    json["steps"].push_back(std::move(entry));
  }
}

}  // namespace

Json outcomeJson(const run::Record& record) {
  if (record.outcome == Outcome::Failed) {
    return failureJson(exitCodeOf(record), imprimo::nameOf(record.error.value_or(ErrorKind::NoProbe)),
                       withHelp(record.message, record.help, record.helpWith));
  }
  Json json = {{"result", nameOf(record.outcome)}};
  if (record.outcome == Outcome::Planned) {
    addPlan(json, record);
  } else if (!record.device.empty()) {
    json["device"] = record.device;
    json["bits"] = record.bits;
  } else if (record.outcome != Outcome::Refused) {
    json["bytes"] = record.bytes;
  }
  for (const bench::DeviceReport& device : record.devices) json["parts"].push_back(run::deviceJson(device));
  if (!record.device.empty()) {
    // A part has no blocks.
  } else if (record.changed || record.outcome == Outcome::Erased || record.outcome == Outcome::Verified) {
    json["erased"] = Json::array();
    for (const AddressRange& r : record.erased)
      json["erased"].push_back({{"from", hexAddress(r.begin)}, {"to", hexAddress(r.end - 1)}});
  }
  if (record.first) {
    json["first"] = {{"address", hexAddress(record.first->address)}};
    if (!record.first->secret) {
      json["first"]["expected"] = hexByte(record.first->expected);
      json["first"]["found"] = hexByte(record.first->found);
    }
    if (record.differences > 0) json["differences"] = record.differences;
  }
  for (const run::Looked& looked : record.looked) {
    Json entry = {{"at", hexAddress(looked.address)}, {"name", looked.name}, {"found", digitsOf(looked.found)}};
    if (!looked.expected.empty()) entry["expected"] = digitsOf(looked.expected);
    entry["as_expected"] = looked.asExpected();
    json["bookmarks"].push_back(std::move(entry));
  }
  for (const run::WordRan& word : record.words) json["words"].push_back(run::wordJson(word));
  if (record.watched)
    json["watched"] = {{"verdict", debug::nameOf(record.watched->verdict)}, {"words", record.watched->words()}};
  if (record.heard) json["heard"] = run::heardJson(*record.heard);
  if (record.trial) {
    json["trial"] = {{"reads", record.trial->reads},
                     {"wrong_reads", record.trial->wrongReads},
                     {"wrong_bytes", record.trial->wrongBytes}};
  }
  Json seconds = Json::object();
  for (const plan::StepTraits& traits : plan::stepKinds()) {
    for (const run::RanStep& step : record.steps) {
      if (step.step.kind != traits.kind || *traits.timedAs == 0) continue;
      seconds[traits.timedAs] = seconds.value(traits.timedAs, 0.0) + step.seconds;
    }
  }
  json["seconds"] = std::move(seconds);
  if (record.error) json["kind"] = imprimo::nameOf(*record.error);
  if (!record.backup.empty()) json["backup"] = record.backup.string();
  json["message"] = withHelp(record.message, record.help, record.helpWith);
  return json;
}

Json failureJson(int exitCode, const std::string& kind, const std::string& message) {
  return {{"result", "failed"}, {"exit", exitCode}, {"kind", kind}, {"message", message}};
}

}  // namespace imprimo::ctl
