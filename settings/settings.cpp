// SPDX-License-Identifier: GPL-3.0-or-later
#include "settings/settings.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <QSettings>
#include <algorithm>
#include <functional>
#include <sstream>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/probe/ignored_probes.h"
#include "core/store/copy_store.h"
#include "core/store/folders.h"
#include "core/store/shared_folders.h"
#include "records/store_address.h"

namespace imprimo::settings {
namespace {

/// Where the window keeps what it was told.
QSettings windowSettings() {
  return QSettings("imprimo", "imprimo");
}

std::string oneOf(const std::vector<std::string>& words, const std::string& value) {
  if (std::find(words.begin(), words.end(), value) != words.end()) return value;
  throw Error(ErrorKind::Usage, fmt::format("'{}' is none of {}", value, fmt::join(words, ", ")));
}

/// What stands between `separator`; nothing is no part.
std::vector<std::string> partsOf(const std::string& text, char separator) {
  std::vector<std::string> parts;
  std::istringstream in(text);
  for (std::string part; std::getline(in, part, separator);) {
    if (!part.empty()) parts.push_back(part);
  }
  return parts;
}

// Names of folders have spaces, and addresses have colons.
constexpr char kBetweenFolders = ':', kBetweenAddresses = ' ';

struct Row {
  const char *key, *what, *takes;
  std::function<std::string()> get;
  std::string usual;
  std::function<std::string()> where;
  std::function<void(const std::string&)> set;
  std::function<void()> reset;
};

/// A word that the window keeps.
Row windowRow(const char* key, const char* name, const char* what, const std::vector<std::string>& words,
              const std::string& usual) {
  return {
      key,
      what,
      "",
      [name, usual] { return windowSettings().value(name, QString::fromStdString(usual)).toString().toStdString(); },
      usual,
      [] { return windowSettings().fileName().toStdString(); },
      [name, words](const std::string& value) {
        windowSettings().setValue(name, QString::fromStdString(oneOf(words, value)));
      },
      [name] { windowSettings().remove(name); }};
}

std::uint64_t numberIn(const std::string& value, std::uint64_t least) {
  const auto number = parseNumber(value);
  if (!number || *number < least)
    throw Error(ErrorKind::Usage, fmt::format("'{}' is not a number from {} on", value, least), "For example 2048M.");
  return *number;
}

std::string copiesFile() {
  return (store::dataFolder() / "copies" / "limits.json").string();
}

void setCopies(const std::function<void(store::CopyLimits&)>& change) {
  store::CopyStore copies = store::userCopies();
  store::CopyLimits limits = copies.limits();
  change(limits);
  copies.setLimits(limits);
}

void setFolders(const std::vector<std::string>& folders) {
  // First those that are new: a folder that is not there leaves all as it is.
  for (const std::string& folder : folders) store::addSharedFolder(folder);
  for (const std::string& known : store::sharedFolders()) {
    if (std::find(folders.begin(), folders.end(), known) == folders.end()) store::removeSharedFolder(known);
  }
}

const std::vector<Row>& rows() {
  static const store::CopyLimits kUsualLimits;
  static const std::vector<std::string> kThemes{"system", "light", "dark", "contrast"};
  static const std::vector<std::string> kSizes{"system", "100", "125", "150", "200"};
  static const std::vector<Row> kRows = [] {
    std::vector<Row> all;
    all.push_back(windowRow("look.theme", "theme", "colours of the window", kThemes, "system"));
    all.back().takes = "system (as the desktop has it), light, dark or contrast";
    all.push_back(windowRow("look.size", "textScale", "size of text and all else, in percent", kSizes, "system"));
    all.back().takes = "system (as the desktop has it), 100, 125, 150 or 200; from the next start on";
    all.push_back(
        {"library.folders", "folders that are looked through beside the own library",
         "folders, with colons between them", [] { return fmt::format("{}", fmt::join(store::sharedFolders(), ":")); },
         "", [] { return (store::dataFolder() / "library-folders").string(); },
         [](const std::string& value) { setFolders(partsOf(value, kBetweenFolders)); }, [] { setFolders({}); }});
    all.push_back({"store", "where records and numbers are kept", "sqlite:FILE or postgresql:CONNECTION",
                   [] { return records::storeSetting(); }, "", [] { return (store::dataFolder() / "store").string(); },
                   [](const std::string& value) {
                     if (!value.empty()) static_cast<void>(records::parseStoreAddress(value));
                     records::setStoreSetting(value);
                   },
                   [] { records::setStoreSetting({}); }});
    all.push_back({"copies.bytes", "how much room copies of what runs destroyed may take", "a size, for example 2048M",
                   [] { return std::to_string(store::userCopies().limits().bytes); },
                   std::to_string(kUsualLimits.bytes), copiesFile,
                   [](const std::string& value) {
                     setCopies([&](store::CopyLimits& limits) { limits.bytes = numberIn(value, 1); });
                   },
                   [] { setCopies([](store::CopyLimits& limits) { limits.bytes = kUsualLimits.bytes; }); }});
    all.push_back({"copies.days", "for how many days they are kept", "a number of days",
                   [] { return std::to_string(store::userCopies().limits().days); }, std::to_string(kUsualLimits.days),
                   copiesFile,
                   [](const std::string& value) {
                     setCopies([&](store::CopyLimits& limits) {
                       limits.days = static_cast<unsigned>(std::min<std::uint64_t>(numberIn(value, 1), 36500));
                     });
                   },
                   [] { setCopies([](store::CopyLimits& limits) { limits.days = kUsualLimits.days; }); }});
    all.push_back({"probes.ignored", "probes that are not listed and never chosen by themselves",
                   "addresses as 'probes' lists them, with spaces between them",
                   [] { return fmt::format("{}", fmt::join(probe::ignoredProbes(), " ")); }, "",
                   [] { return probe::ignoredProbesFile().string(); },
                   [](const std::string& value) { probe::setIgnoredProbes(partsOf(value, kBetweenAddresses)); },
                   [] { probe::setIgnoredProbes({}); }});
    return all;
  }();
  return kRows;
}

const Row& rowOf(const std::string& key) {
  const auto row = std::find_if(rows().begin(), rows().end(), [&](const Row& each) { return each.key == key; });
  if (row != rows().end()) return *row;
  std::vector<std::string> keys;
  for (const Row& each : rows()) keys.emplace_back(each.key);
  throw Error(ErrorKind::Usage, fmt::format("there is no setting '{}'", key),
              fmt::format("There are {}.", fmt::join(keys, ", ")));
}

}  // namespace

std::vector<Setting> allSettings() {
  std::vector<Setting> all;
  for (const Row& row : rows()) all.push_back({row.key, row.what, row.takes, row.get(), row.usual, row.where()});
  return all;
}

void setSetting(const std::string& key, const std::string& value) {
  rowOf(key).set(value);
}

void resetSetting(const std::string& key) {
  rowOf(key).reset();
}

}  // namespace imprimo::settings
