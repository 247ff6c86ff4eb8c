// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/store_address.h"

#include <cstdlib>
#include <regex>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/user_folders.h"

namespace imprimo::records {
namespace {

constexpr std::string_view kSqlite = "sqlite:", kPostgresql = "postgresql:";

std::filesystem::path settingFile() {
  return dataFolder() / "store";
}

}  // namespace

std::string StoreAddress::text() const {
  return kind == Sqlite ? std::string(kSqlite) + file.string() : std::string(kPostgresql) + connection;
}

StoreAddress parseStoreAddress(const std::string& text) {
  StoreAddress address;
  if (text.starts_with(kSqlite)) {
    address.file = text.substr(kSqlite.size());
    if (address.file.empty())
      throw Error(ErrorKind::Usage, "sqlite: takes the name of a file", "For example sqlite:line.sqlite.");
    return address;
  }
  if (!text.starts_with(kPostgresql)) {
    throw Error(ErrorKind::Usage, "'" + text + "' is no store",
                "It is sqlite:FILE, or postgresql: with libpq's words or the name of a service.");
  }
  address.kind = StoreAddress::Postgresql;
  address.connection = text.substr(kPostgresql.size());
  if (address.connection.starts_with("//")) {
    throw Error(ErrorKind::Usage, "a server is named by libpq's words, not by a URL",
                "For example postgresql:host=db dbname=imprimo, or the name of a service.");
  }
  static const std::regex kPassword(R"((^|\s)(password|sslpassword)\s*=)");
  if (std::regex_search(address.connection, kPassword)) {
    throw Error(ErrorKind::Usage, "a password does not belong where everybody can read it",
                "Put it into libpq's password file (~/.pgpass), or into a service file that only you can read.");
  }
  if (!address.connection.empty() && address.connection.find('=') == std::string::npos)
    address.connection = "service=" + address.connection;
  return address;
}

std::string storeSetting() {
  std::error_code none;
  if (!std::filesystem::exists(settingFile(), none)) return {};
  std::string text = readTextFile(settingFile());
  while (!text.empty() && (text.back() == '\n' || text.back() == '\r')) text.pop_back();
  return text;
}

void setStoreSetting(const std::string& text) {
  if (!text.empty()) static_cast<void>(parseStoreAddress(text));
  std::error_code none;
  if (text.empty()) {
    std::filesystem::remove(settingFile(), none);
    return;
  }
  std::filesystem::create_directories(settingFile().parent_path(), none);
  writeFileAtomically(settingFile(), text + "\n");
}

StoreAddress chosenStore(const std::string& given) {
  if (!given.empty()) return parseStoreAddress(given);
  if (const char* named = std::getenv("IMPRIMO_STORE"); named != nullptr && *named != '\0')
    return parseStoreAddress(named);
  if (const std::string setting = storeSetting(); !setting.empty()) return parseStoreAddress(setting);
  return {StoreAddress::Sqlite, dataFolder() / "imprimo.sqlite", {}};
}

}  // namespace imprimo::records
