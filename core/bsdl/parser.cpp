// SPDX-License-Identifier: GPL-3.0-or-later
//
// The grammar read here, after IEEE 1149.1-2013 annex B (case does not matter, comments are gone):
//
//   file       = { package | "use" name ".all" ";" | anything ";" } entity
//   package    = "package" ["body"] name "is" { constant | anything ";" } "end" ["package"] ["body"] [name] ";"
//   entity     = "entity" name "is" { generic | port | use | constant | attribute | anything ";" } "end" [name] ";"
//   generic    = "generic" "(" name ":" "string" [":=" string] ")" ";"
//   port       = "port" "(" names ":" mode type { ";" names ":" mode type } ")" ";"
//   type       = "bit" | "bit_vector" "(" number ("to" | "downto") number ")"
//   constant   = "constant" name ":" type [":=" value] ";"
//   attribute  = "attribute" name ":" type ";" | "attribute" name "of" target ":" class "is" value ";"
//   value      = string { "&" string } | tokens
//
// What stands inside the strings is read by instructions.cpp, ports.cpp, boundary_register.cpp and fields.cpp.
#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "core/base/input_file.h"
#include "core/bsdl/isc_reader.h"
#include "core/bsdl/reading.h"

namespace imprimo::bsdl {
namespace {

/// Packages of the standards: their cells are known here, so their text is not needed.
bool isStandardPackage(const std::string& name) {
  return name.starts_with("STD_1149_") || name.starts_with("STD_1532_") || name.starts_with("LVS_BSCAN_CELLS");
}

Edition editionOf(const std::string& package) {
  if (package == "STD_1149_1_1990") return Edition::Of1990;
  if (package == "STD_1149_1_1993" || package == "STD_1149_1_1994") return Edition::Of1994;
  if (package == "STD_1149_1_2001") return Edition::Of2001;
  if (package == "STD_1149_1_2013") return Edition::Of2013;
  return Edition::Unknown;
}

class Parser {
 public:
  Parser(const Source& source, Reading& reading, const PackageText& packages)
      : reading_(reading),
        packages_(packages),
        cursor_(tokenize(source),
                [&source](std::size_t offset, const std::string& what) { source.fail(offset, what); }) {}

  void run() {
    packagesBefore();
    cursor_.needWord("entity");
    reading_.device.entity = cursor_.needName("the entity's name");
    cursor_.needWord("is");
    while (!cursor_.isWord("end")) {
      if (cursor_.atEnd()) cursor_.expected("'end'");
      statement();
    }
    reading_.end = cursor_.peek().offset;
    skipStatement();
    while (!cursor_.atEnd()) outside();
  }

  /// Only packages: the text of one that a file uses.
  void packagesBefore() {
    while (!cursor_.atEnd() && !cursor_.isWord("entity")) outside();
  }

 private:
  void outside() {
    if (cursor_.isWord("package")) return package();
    if (cursor_.takeWord("use")) return use();
    skipStatement();
  }

  void package() {
    cursor_.needWord("package");
    cursor_.takeWord("body");
    known_.insert(upperCase(cursor_.needName("the package's name")));
    cursor_.needWord("is");
    while (!cursor_.takeWord("end")) {
      if (cursor_.atEnd()) cursor_.expected("'end'");
      if (cursor_.takeWord("constant")) {
        constant();
      } else if (cursor_.takeWord("use")) {
        use();
      } else {
        skipDeclaration();
      }
    }
    skipStatement();
  }

  /// "type X is record ... end record;" has an end of its own.
  void skipDeclaration() {
    for (bool record = false, ended = false; !cursor_.atEnd() && !ended;) {
      if (cursor_.isWord("record")) record = !record;
      ended = cursor_.isSymbol(';') && !record;
      cursor_.take();
    }
  }

  void statement() {
    if (cursor_.takeWord("generic")) return generic();
    if (cursor_.takeWord("port")) return ports();
    if (cursor_.takeWord("use")) return use();
    if (cursor_.takeWord("constant")) return constant();
    if (cursor_.takeWord("attribute")) return attribute();
    skipStatement();
  }

  void skipStatement() {
    while (!cursor_.atEnd() && !cursor_.takeSymbol(';')) cursor_.take();
  }

  void use() {
    const std::string name = upperCase(cursor_.needName("the package's name"));
    skipStatement();
    if (reading_.device.edition == Edition::Unknown) reading_.device.edition = editionOf(name);
    if (isStandardPackage(name) || !known_.insert(name).second) return;
    const auto text = packages_ ? packages_(name) : std::nullopt;
    if (!text) {
      reading_.packageMissing = true;
      return;
    }
    const Source inside{name, *text};
    Parser parser(inside, reading_, packages_);
    parser.known_ = known_;
    parser.packagesBefore();
    known_ = parser.known_;
    readCellTypes(reading_);  // now, because tokens point into a text that goes away here
  }

  void generic() {
    cursor_.needSymbol('(');
    while (!cursor_.atEnd() && !cursor_.takeSymbol(')')) {
      const Token token = cursor_.take();
      if (token.kind == TokenKind::String && reading_.device.packageChoice.empty())
        reading_.device.packageChoice = token.text;
    }
    cursor_.needSymbol(';');
  }

  void ports() {
    cursor_.needSymbol('(');
    do {
      if (cursor_.isSymbol(')')) break;  // a semicolon behind the last one is seen often
      std::vector<std::string> names;
      do {
        names.push_back(cursor_.needName("a port's name"));
      } while (cursor_.takeSymbol(','));
      cursor_.needSymbol(':');
      Port port;
      const Token mode = cursor_.peek();
      port.mode = cursor_.needName("in, out, inout, buffer or linkage");
      std::transform(port.mode.begin(), port.mode.end(), port.mode.begin(),
                     [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c; });
      static const std::set<std::string> kModes = {
          "in",         "out",         "inout",         "buffer",         "linkage",
          "linkage_in", "linkage_out", "linkage_inout", "linkage_buffer", "linkage_mechanical",
          "power_0",    "power_pos",   "power_neg",     "vref_in",        "vref_out"};
      if (!kModes.contains(port.mode)) {
        cursor_.failAt(mode.offset,
                       fmt::format("in, out, inout, buffer or linkage should stand here, not '{}'", mode.text));
      }
      const Token type = cursor_.peek();
      cursor_.needName("bit or bit_vector");
      if (sameWord(type.text, "bit_vector")) {
        cursor_.needSymbol('(');
        const auto left = static_cast<int>(cursor_.needInteger("a bound") & 0xFFFFF);
        if (!cursor_.takeWord("to")) cursor_.needWord("downto");
        port.range = {left, static_cast<int>(cursor_.needInteger("a bound") & 0xFFFFF)};
        cursor_.needSymbol(')');
      } else if (!sameWord(type.text, "bit")) {
        cursor_.failAt(type.offset, fmt::format("bit or bit_vector should stand here, not '{}'", type.text));
      }
      for (std::string& name : names) {
        port.name = std::move(name);
        reading_.device.ports.push_back(port);
      }
    } while (cursor_.takeSymbol(';'));
    cursor_.needSymbol(')');
    cursor_.needSymbol(';');
  }

  /// Strings are joined, other tokens kept. Takes the semicolon.
  void value(JoinedText& joined, std::vector<Token>& tokens) {
    while (!cursor_.takeSymbol(';')) {
      if (cursor_.atEnd()) cursor_.expected("';'");
      const Token token = cursor_.take();
      if (token.kind == TokenKind::String) {
        joined.add(token.text, token.offset + 1);
      } else if (token.text != "&") {
        tokens.push_back(token);
      }
    }
  }

  void constant() {
    RawConstant found;
    found.name = cursor_.needName("the constant's name");
    cursor_.needSymbol(':');
    found.type = upperCase(cursor_.needName("the constant's type"));
    if (cursor_.peek().text == ":=") {
      cursor_.take();
      value(found.joined, found.tokens);
      reading_.constants.push_back(std::move(found));
    } else {
      skipStatement();  // its value stands in the package's body
    }
  }

  void attribute() {
    RawAttribute found;
    found.offset = cursor_.peek().offset;
    found.name = upperCase(cursor_.needName("the attribute's name"));
    if (cursor_.takeSymbol(':')) return skipStatement();  // a declaration
    cursor_.needWord("of");
    found.target = upperCase(cursor_.needName("what the attribute belongs to"));
    if (cursor_.takeSymbol('(')) found.target += "(" + cursor_.restOfBrackets() + ")";
    cursor_.needSymbol(':');
    cursor_.needName("entity, signal or constant");
    cursor_.needWord("is");
    std::vector<Token> tokens;
    value(found.joined, tokens);
    for (const Token& token : tokens) found.plain += token.text;
    reading_.attributes.push_back(std::move(found));
  }

  Reading& reading_;
  const PackageText& packages_;
  Cursor cursor_;
  std::set<std::string> known_;  // packages that were read or asked for
};

}  // namespace

const RawAttribute* Reading::find(std::string_view name) const {
  const auto it =
      std::find_if(attributes.begin(), attributes.end(), [&](const RawAttribute& a) { return a.name == name; });
  return it == attributes.end() ? nullptr : &*it;
}

BoundaryDescription parse(std::string_view text, const std::string& name, const PackageText& packages) {
  const Source source{name, text};
  Reading reading{source, {}, {}, {}};
  Parser(source, reading, packages).run();
  if (const RawAttribute* a = reading.find("COMPONENT_CONFORMANCE")) reading.device.conformance = a->value();
  if (const RawAttribute* a = reading.find("DESIGN_WARNING")) reading.device.designWarning = a->value();
  readCellTypes(reading);
  readInstructions(reading);
  readPorts(reading);
  readBoundaryRegister(reading);
  readFields(reading);
  readIsc(reading);
  for (const RawAttribute& a : reading.attributes) {
    if (a.name != "BOUNDARY_REGISTER") reading.device.attributes.push_back({a.name, a.target, a.value()});
  }
  return std::move(reading.device);
}

BoundaryDescription parseFile(const std::filesystem::path& path) {
  const auto beside = [&](const std::string& package) -> std::optional<std::string> {
    std::error_code ignored;
    for (const auto& entry :
         std::filesystem::directory_iterator(path.parent_path().empty() ? "." : path.parent_path(), ignored)) {
      const std::string extension = upperCase(entry.path().extension().string());
      if (upperCase(entry.path().stem().string()) != package) continue;
      if (extension == ".BSD" || extension == ".BSDL" || extension == ".VHD" || extension == ".TXT")
        return readTextFile(entry.path(), kBsdlFile);
    }
    return std::nullopt;
  };
  return parse(readTextFile(path, kBsdlFile), path.string(), beside);
}

}  // namespace imprimo::bsdl
