// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/release/release_file.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "ctl/output_file.h"
#include "ctl/passphrase_input.h"

namespace imprimo::ctl {
namespace {

struct ReleaseOptions : CommonOptions {
  std::string action, file, other, output, start = "by-itself", afterGood, afterFailed, passphraseFile;
  std::optional<std::uint64_t> number, units;
  bool signOn = false;
};

void addOptions(OptionList& own, ReleaseOptions& options) {
  own.option("ACTION", options.action, "make, show or compare").required();
  own.option("FILE", options.file, "make: the job sheet; show, compare: a release").required();
  own.option("OTHER", options.other, "compare: the other release");
  own.option("-o,--output", options.output, "make: the new release").typeName("OUT");
  own.option("--number", options.number, "make: its number").number(1, UINT32_MAX);
  own.option("--start", options.start, "make: a board begins by itself when it is there, or at a key")
      .oneOf({"by-itself", "by-key"});
  own.option("--units", options.units, "make: so many good units, and no more").number(1, UINT32_MAX);
  own.flag("--sign-on", options.signOn, "make: operators say who they are first");
  own.option("--after-good", options.afterGood, "make: what the operator does with a good board").typeName("TEXT");
  own.option("--after-failed", options.afterFailed, "make: and with one that failed").typeName("TEXT");
  own.option("--passphrase-file", options.passphraseFile, "make: its first line opens the key; - is standard input")
      .typeName("FILE");
}

Json manifestJson(const release::Release& release) {
  Json json = Json::parse(release::manifestText(release.manifest));
  json["id"] = release.id;
  json["signer"] = {{"name", release.signer.name}, {"key", release.signer.digits()}};
  return json;
}

int make(const ReleaseOptions& options, const Context& context) {
  if (options.output.empty()) throw Error(ErrorKind::Usage, "release make needs --output OUT");
  if (!options.number)
    throw Error(ErrorKind::Usage, "release make needs --number N",
                "Count them up, so that people can tell them apart.");
  const sheet::Sheet sheet = sheet::readSheet(options.file);
  requireNoInput(options.output, options, {}, &sheet);
  std::error_code none;
  if (!std::filesystem::exists(release::signingKeyFile(), none))
    throw Error(ErrorKind::Usage, "there is no key to sign with", "Make one: imprimoctl keys make --name NAME.");
  release::LineRules line;
  line.startsByItself = options.start != "by-key";
  line.signOn = options.signOn;
  line.units = options.units;
  line.afterGood = options.afterGood;
  line.afterFailed = options.afterFailed;
  release::Release frozen = release::freeze(sheet, *options.number, line);
  const auto key = release::SigningKey::open(release::signingKeyFile(),
                                             passphraseFrom(options.passphraseFile, "The passphrase of the key: "));
  release::writeRelease(frozen, key, options.output);
  frozen.signer = key.publicKey();
  if (options.json) {
    print(context, manifestJson(frozen));
  } else {
    context.out << fmt::format("{}: release {} of {}, {}, signed by {}.\n", options.output, *options.number,
                               frozen.manifest.title, countText(frozen.manifest.parts.size(), "part"),
                               key.publicKey().name);
  }
  return 0;
}

int show(const ReleaseOptions& options, const Context& context) {
  const release::Release release = release::readRelease(options.file, release::trustedKeys(), release::Trust::Trusted);
  if (options.json) {
    print(context, manifestJson(release));
    return 0;
  }
  const release::Manifest& manifest = release.manifest;
  context.out << fmt::format("Release {} of {}, made {} by Imprimo {}, signed by {}\n", manifest.number, manifest.title,
                             manifest.made, manifest.software, release.signer.name);
  for (const release::Manifest::Part& part : manifest.parts)
    context.out << fmt::format("  {}  {:>9}  {}\n", part.sha256.substr(0, 16), sizeText(part.bytes), part.name);
  return 0;
}

int compare(const ReleaseOptions& options, const Context& context) {
  if (options.other.empty()) throw Error(ErrorKind::Usage, "release compare needs two releases");
  const auto read = [](const std::string& file) {
    return release::readRelease(file, release::trustedKeys(), release::Trust::Anyone);
  };
  const std::vector<std::string> lines = release::differencesOf(read(options.file), read(options.other));
  if (options.json) {
    print(context, {{"result", lines.empty() ? "same" : "differs"}, {"differences", lines}});
  } else if (lines.empty()) {
    context.out << "They are the same.\n";
  } else {
    for (const std::string& line : lines) context.out << line << "\n";
  }
  return lines.empty() ? 0 : 1;
}

int runRelease(const ReleaseOptions& options, const Context& context) {
  if (options.action == "make") return make(options, context);
  if (options.action == "show") return show(options, context);
  if (options.action == "compare") return compare(options, context);
  throw Error(ErrorKind::Usage, "'" + options.action + "' is nothing that is done with releases",
              "It is make, show or compare.");
}

}  // namespace

CommandRow releaseCommand() {
  return commandRow<ReleaseOptions>("release", "freeze a sheet with all that it uses, signed, for stations", addOptions,
                                    runRelease);
}

}  // namespace imprimo::ctl
