// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/release/keys.h"

#include <fmt/format.h>

#include <ostream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/json.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "ctl/passphrase_input.h"

namespace imprimo::ctl {
namespace {

struct KeysOptions : CommonOptions {
  std::string action, what, name, passphraseFile;
};

void addOptions(OptionList& own, KeysOptions& options) {
  own.option("ACTION", options.action, "make, export, trust, forget or list").required();
  own.option("WHAT", options.what, "export, trust: a file with a public key; forget: a name");
  own.option("--name", options.name, "make: who signs with it").typeName("NAME");
  own.option("--passphrase-file", options.passphraseFile, "make: its first line protects the key; - is standard input")
      .typeName("FILE");
}

const std::string& required(const std::string& value, const char* what) {
  if (value.empty()) throw Error(ErrorKind::Usage, fmt::format("keys {} is missing", what));
  return value;
}

int listKeys(const KeysOptions& options, const Context& context) {
  std::error_code none;
  const bool own = std::filesystem::exists(release::signingKeyFile(), none);
  const std::vector<release::PublicKey> trusted = release::trustedKeys().all();
  if (options.json) {
    Json json = Json::object();
    if (own) {
      const release::PublicKey key = release::SigningKey::publicOf(release::signingKeyFile());
      json["own"] = {{"name", key.name}, {"key", key.digits()}};
    }
    json["trusted"] = Json::array();
    for (const release::PublicKey& key : trusted)
      json["trusted"].push_back({{"name", key.name}, {"key", key.digits()}});
    print(context, json);
    return 0;
  }
  if (own) {
    const release::PublicKey key = release::SigningKey::publicOf(release::signingKeyFile());
    context.out << fmt::format("own      {}  {}\n", key.digits(), key.name);
  }
  for (const release::PublicKey& key : trusted) context.out << fmt::format("trusted  {}  {}\n", key.digits(), key.name);
  if (!own && trusted.empty()) context.out << "There is no key, and none is trusted.\n";
  return 0;
}

int runKeys(const KeysOptions& options, const Context& context) {
  if (options.action == "list") return listKeys(options, context);
  if (options.action == "make") {
    const release::SecretText passphrase = passphraseFrom(options.passphraseFile, "A passphrase for the new key: ");
    const auto key =
        release::SigningKey::make(release::signingKeyFile(), required(options.name, "make --name NAME"), passphrase);
    context.out << fmt::format("{}  {}\n", key.publicKey().digits(), key.publicKey().name);
  } else if (options.action == "export") {
    const release::PublicKey key = release::SigningKey::publicOf(release::signingKeyFile());
    writeFileAtomically(required(options.what, "export FILE"), release::publicKeyText(key));
    context.out << fmt::format("{} has the public key of {}.\n", options.what, key.name);
  } else if (options.action == "trust") {
    const release::PublicKey key = release::readPublicKey(required(options.what, "trust FILE"));
    release::trustedKeys().add(key);
    context.out << fmt::format("Releases signed by {} are run here from now on.\n", key.name);
  } else if (options.action == "forget") {
    release::trustedKeys().remove(required(options.what, "forget NAME"));
    context.out << fmt::format("Releases signed by {} are no longer run here.\n", options.what);
  } else {
    throw Error(ErrorKind::Usage, "'" + options.action + "' is nothing that is done with keys",
                "It is make, export, trust, forget or list.");
  }
  return 0;
}

}  // namespace

CommandRow keysCommand() {
  return commandRow<KeysOptions>("keys", "the key that releases are signed with, and those that are trusted",
                                 addOptions, runKeys);
}

}  // namespace imprimo::ctl
