// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/store/catalog.h"
#include "core/store/shared_folders.h"
#include "ctl/command.h"
#include "ctl/json_out.h"

namespace imprimo::ctl {
namespace {

struct LibraryOptions : CommonOptions {
  std::string action;
  std::vector<std::string> what;
};

void addOptions(OptionList& own, LibraryOptions& options) {
  own.option("ACTION", options.action, "list, add, remove or find; none: list");
  own.option("WHAT", options.what, "words for list, files or folders for add and remove, an IDCODE for find");
}

Json descriptionJson(const store::Description& d) {
  return {
      {"kind", store::keyOf(d.kind)}, {"name", d.name}, {"says", d.says}, {"file", d.file.string()}, {"own", d.own}};
}

/// Lists descriptions; the exit code says whether there are any.
int tell(const std::vector<store::Description>& found, const LibraryOptions& options, const Context& context,
         const std::string& nothing) {
  Json list = Json::array();
  for (const store::Description& d : found) {
    list.push_back(descriptionJson(d));
    if (!options.json)
      context.out << fmt::format("{:<18} {:<38} {:<36} {}\n", store::nameOf(d.kind), d.name, d.says, d.file.string());
  }
  if (options.json) {
    print(context, {{"descriptions", std::move(list)}, {"folders", store::sharedFolders()}});
  } else if (found.empty()) {
    context.err << nothing << "\n";
  }
  return 0;
}

store::Catalog opened(const LibraryOptions& options, const Context& context) {
  store::Catalog catalog = store::openCatalog(options.libraries);
  for (const std::string& warning : catalog.warnings()) context.err << "imprimoctl: warning: " << warning << "\n";
  return catalog;
}

int listAll(const LibraryOptions& options, const Context& context) {
  std::string words;
  for (const std::string& word : options.what) words += word + " ";
  const store::Catalog catalog = opened(options, context);
  if (!options.json && options.what.empty()) {
    for (const std::string& folder : store::sharedFolders())
      context.out << fmt::format("{:<18} {}\n", "folder", folder);
  }
  return tell(catalog.search(words), options, context,
              words.empty() ? "The library is empty. Add to it with imprimoctl library add FILE or FOLDER."
                            : "Nothing in the library has all these words.");
}

int add(const LibraryOptions& options, const Context& context) {
  if (options.what.empty()) throw Error(ErrorKind::Usage, "add takes files or folders");
  std::vector<store::Description> added;
  for (const std::string& what : options.what) {
    std::error_code none;
    if (std::filesystem::is_directory(what, none)) {
      store::addSharedFolder(what);
    } else {
      added.push_back(store::addDescription(what).description);
    }
  }
  return tell(added, options, context, "The folder is looked through from now on.");
}

/// A file of the library, by its whole path or its name alone.
store::Description meant(const std::string& what, const store::Catalog& catalog) {
  std::vector<store::Description> fitting;
  for (const store::Description& d : catalog.all()) {
    if (d.file == what || (d.own && d.file.filename() == what)) fitting.push_back(d);
  }
  if (fitting.size() == 1) return fitting.front();
  if (fitting.empty())
    throw Error(ErrorKind::Usage, "the library has no " + what, "imprimoctl library list shows what it has.");
  throw Error(ErrorKind::Usage, fmt::format("{} files of the library are called {}", fitting.size(), what),
              "Name it with its folder.");
}

int remove(const LibraryOptions& options, const Context& context) {
  if (options.what.empty()) throw Error(ErrorKind::Usage, "remove takes files of the library, or its folders");
  const store::Catalog catalog = store::openCatalog(options.libraries);
  const std::vector<std::string> folders = store::sharedFolders();
  std::vector<store::Description> removed;
  for (const std::string& what : options.what) {
    const std::string whole = std::filesystem::absolute(what).lexically_normal().string();
    if (std::find(folders.begin(), folders.end(), whole) != folders.end()) {
      store::removeSharedFolder(what);
    } else {
      removed.push_back(meant(what, catalog));
      store::removeDescription(removed.back());
    }
  }
  return tell(removed, options, context, "The folder is no part of the library any more.");
}

int find(const LibraryOptions& options, const Context& context) {
  if (options.what.size() != 1) throw Error(ErrorKind::Usage, "find takes one IDCODE");
  const auto code = parseNumber(options.what.front());
  if (!code || *code > UINT32_MAX)
    throw Error(ErrorKind::Usage, options.what.front() + " is no IDCODE", "It has 32 bits, like 0x1f40affd.");
  const auto found = opened(options, context).forIdcode(static_cast<std::uint32_t>(*code));
  tell(found, options, context, "Nothing in the library is for a device with this IDCODE.");
  return found.empty() ? 1 : 0;
}

int runLibrary(const LibraryOptions& options, const Context& context) {
  if (options.action.empty() || options.action == "list") return listAll(options, context);
  if (options.action == "add") return add(options, context);
  if (options.action == "remove") return remove(options, context);
  if (options.action == "find") return find(options, context);
  throw Error(ErrorKind::Usage, fmt::format("library knows no {}", options.action),
              "It takes list, add, remove or find.");
}

}  // namespace

CommandRow libraryCommand() {
  return commandRow<LibraryOptions>("library", "the user's descriptions: BSDL files, cards, packs", addOptions,
                                    runLibrary);
}

}  // namespace imprimo::ctl
