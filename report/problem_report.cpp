// SPDX-License-Identifier: GPL-3.0-or-later
#include "report/problem_report.h"

#include <fmt/format.h>

#include <exception>
#include <functional>

#include "core/base/error.h"
#include "core/base/utc.h"
#include "core/probe/open_probe.h"
#include "core/store/catalog.h"
#include "records/record_store.h"
#include "records/store_address.h"
#include "report/scrubbed.h"
#include "report/session_log.h"
#include "report/system_facts.h"

namespace imprimo::report {
namespace {

constexpr std::size_t kRecords = 10, kLines = 100;

void addFacts(std::string& text, const std::vector<Fact>& facts) {
  for (const auto& [name, value] : facts) text += fmt::format("  {:<18} {}\n", name, value);
  if (facts.empty()) text += "  none\n";
}

void addProbes(std::string& text, const probe::SystemRoot& system) {
  const probe::ProbeListing listing = probe::listProbes({}, system);
  if (!listing.virtualMachine.empty()) text += fmt::format("  in a virtual machine: {}\n", listing.virtualMachine);
  for (const probe::ProbeEntry& e : listing.probes) {
    text += fmt::format("  {:04x}:{:04x} {} at port {}, {}: {}\n", e.vendorId, e.productId, e.product, e.port, e.kind,
                        e.what.empty() ? nameOf(e.state) : e.what);
  }
  if (listing.probes.empty()) text += "  none: " + listing.nothingFound() + "\n";
}

void addRecords(std::string& text, const std::string& where) {
  const records::StoreAddress address = records::chosenStore(where);
  text += fmt::format("  store: {}\n", address.kind == records::StoreAddress::Sqlite ? address.text() : "PostgreSQL");
  std::error_code none;
  if (address.kind == records::StoreAddress::Sqlite && !std::filesystem::exists(address.file, none)) {
    text += "  no record yet\n";
    return;
  }
  records::Database database(address);
  records::RecordStore store(database);
  text += fmt::format("  {} in all\n", store.count({}));
  for (const records::KeptRecord& record : store.find({}, kRecords)) {
    text += fmt::format("  {} {} {:.1f} s, {}: {}{}\n", record.started, record.result, record.seconds, record.target,
                        record.message, record.step.empty() ? "" : fmt::format(" (at: {})", record.step));
  }
}

void addLibrary(std::string& text) {
  const store::Catalog catalog = store::openCatalog();
  text += fmt::format("  {} descriptions\n", catalog.all().size());
  for (const std::string& warning : catalog.warnings()) text += "  " + warning + "\n";
}

/// A part of the report; what goes wrong there is said there.
void section(std::string& text, const char* title, const std::function<void(std::string&)>& add) {
  text += fmt::format("\n{}\n", title);
  try {
    add(text);
  } catch (const Error& e) {
    text += "  cannot be told: " + e.full() + "\n";
  } catch (const std::exception& e) {
    text += fmt::format("  cannot be told: {}\n", e.what());
  }
}

}  // namespace

std::string problemReport(const ReportInput& input) {
  std::string text = fmt::format("Report of {} at {}\n", input.program, utcNow());
  text +=
      "Please say above this line what you did, what you expected, and what happened.\n"
      "Read what follows before you send it: nothing was sent by itself.\n\n";
  text += aboutText(input.program, input.more) + "\n";
  section(text, "System", [&](std::string& to) { addFacts(to, systemFacts(input.system.root)); });
  section(text, "Environment", [](std::string& to) { addFacts(to, environmentFacts()); });
  section(text, "Probes", [&](std::string& to) { addProbes(to, input.system); });
  section(text, "Library", addLibrary);
  section(text, "Last runs", [&](std::string& to) { addRecords(to, input.store); });
  section(text, "What the window said last", [](std::string& to) {
    const auto lines = SessionLog().newest(kLines);
    for (const std::string& line : lines) to += "  " + line + "\n";
    if (lines.empty()) to += "  nothing\n";
  });
  return scrubbed(text);
}

}  // namespace imprimo::report
