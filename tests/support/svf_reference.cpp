// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/svf_reference.h"

#include <cctype>
#include <cmath>
#include <random>
#include <stdexcept>

namespace imprimo::test {

std::vector<std::vector<SvfReference::Token>> SvfReference::statements(const std::string& text) {
  std::vector<std::vector<Token>> all(1);
  unsigned line = 1;
  bool inDigits = false;
  bool fresh = true;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (c == '!' || (c == '/' && text[i + 1] == '/')) {
      while (i < text.size() && text[i] != '\n') ++i;
      if (i < text.size()) ++line;
      fresh = fresh || !inDigits;
      continue;
    }
    if (c == '\n') ++line;
    if (std::isspace(static_cast<unsigned char>(c)) != 0) {
      if (!inDigits) fresh = true;
      continue;
    }
    if (c == ';') {
      all.emplace_back();
      fresh = true;
      continue;
    }
    if (c == '(' || c == ')') {
      inDigits = c == '(';
      fresh = true;
      continue;
    }
    if (fresh) all.back().push_back({"", line});
    fresh = false;
    all.back().back().text += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  }
  all.pop_back();
  return all;
}

/// Digits, the most significant one first, as bits in the order in which they are shifted.
std::string SvfReference::bits(const std::string& digits, unsigned long length) {
  std::string result;
  for (std::size_t i = digits.size(); i-- > 0;) {
    const int value = std::isdigit(static_cast<unsigned char>(digits[i])) != 0 ? digits[i] - '0' : digits[i] - 'A' + 10;
    for (int bit = 0; bit < 4; ++bit) result += (value >> bit & 1) != 0 ? '1' : '0';
  }
  result.resize(length, '0');
  return result;
}

bool SvfReference::tick(bool tms, bool tdi) {
  ++clocks_;
  return clock_(tms, tdi);
}

void SvfReference::ways(const std::string& tms) {
  for (const char c : tms) tick(c == '1');
}

/// From stable state to stable state, as the standard's table has them.
void SvfReference::go(const std::string& to) {
  static const std::map<std::pair<std::string, std::string>, std::string> kWays{
      {{"RESET", "IDLE"}, "0"},           {{"RESET", "DRPAUSE"}, "01010"},     {{"RESET", "IRPAUSE"}, "011010"},
      {{"IDLE", "DRPAUSE"}, "1010"},      {{"IDLE", "IRPAUSE"}, "11010"},      {{"DRPAUSE", "IDLE"}, "110"},
      {{"DRPAUSE", "DRPAUSE"}, "111010"}, {{"DRPAUSE", "IRPAUSE"}, "1111010"}, {{"IRPAUSE", "IDLE"}, "110"},
      {{"IRPAUSE", "DRPAUSE"}, "111010"}, {{"IRPAUSE", "IRPAUSE"}, "1111010"}};
  if (to == "RESET") {
    ways("11111");
  } else if (const auto way = kWays.find({state_, to}); way != kWays.end()) {
    ways(way->second);
  }
  state_ = to;
}

void SvfReference::field(const std::vector<Token>& words) {
  Field& f = fields_[words[0].text];
  const unsigned long length = std::stoul(words[1].text);
  if (length != f.length) f = {};
  f.length = length;
  f.tdo.clear();
  for (std::size_t i = 2; i + 1 < words.size(); i += 2) {
    const std::string value = bits(words[i + 1].text, length);
    if (words[i].text == "TDI") f.tdi = value;
    if (words[i].text == "TDO") f.tdo = value;
    if (words[i].text == "MASK") f.mask = value;
  }
}

void SvfReference::scan(bool instruction, unsigned line) {
  std::string tdi, tdo, mask;
  for (const char* device : {"H", "S", "T"}) {
    const Field& f = fields_[device + std::string(instruction ? "IR" : "DR")];
    tdi += f.tdi;
    tdo += f.tdo.empty() ? std::string(f.length, '0') : f.tdo;
    mask += f.tdo.empty() ? std::string(f.length, '0') : f.mask.empty() ? std::string(f.length, '1') : f.mask;
  }
  // From wherever it rests to Capture and Shift.
  if (state_ == "RESET") ways("0");
  if (state_ == "DRPAUSE" || state_ == "IRPAUSE") ways("11");
  ways(instruction ? "1100" : "100");
  bool differs = false;
  for (std::size_t i = 0; i < tdi.size(); ++i) {
    const bool out = tick(i + 1 == tdi.size(), tdi[i] == '1');
    if (mask[i] == '1' && out != (tdo[i] == '1')) differs = true;
  }
  if (differs) mismatches_.push_back(line);
  const std::string& end = instruction ? endIr_ : endDr_;
  // From Exit1.
  if (end == "IDLE") ways("10");
  if (end == "RESET") ways("1111");
  if (end == "DRPAUSE") ways(instruction ? "11010" : "0");
  if (end == "IRPAUSE") ways(instruction ? "0" : "111010");
  state_ = end;
}

void SvfReference::statement(const std::vector<Token>& words) {
  const std::string& command = words[0].text;
  if (command == "ENDIR") {
    endIr_ = words[1].text;
  } else if (command == "ENDDR") {
    endDr_ = words[1].text;
  } else if (command == "SIR" || command == "SDR") {
    field(words);
    scan(command == "SIR", words[0].line);
  } else if (command == "HIR" || command == "HDR" || command == "TIR" || command == "TDR") {
    field(words);
  } else if (command == "STATE") {
    if (words.size() == 2) {
      go(words[1].text);
      return;
    }
    static const std::map<std::string, std::pair<std::string, std::string>> kNext{
        {"RESET", {"IDLE", "RESET"}},
        {"IDLE", {"IDLE", "DRSELECT"}},
        {"DRSELECT", {"DRCAPTURE", "IRSELECT"}},
        {"DRCAPTURE", {"DRSHIFT", "DREXIT1"}},
        {"DRSHIFT", {"DRSHIFT", "DREXIT1"}},
        {"DREXIT1", {"DRPAUSE", "DRUPDATE"}},
        {"DRPAUSE", {"DRPAUSE", "DREXIT2"}},
        {"DREXIT2", {"DRSHIFT", "DRUPDATE"}},
        {"DRUPDATE", {"IDLE", "DRSELECT"}},
        {"IRSELECT", {"IRCAPTURE", "RESET"}},
        {"IRCAPTURE", {"IRSHIFT", "IREXIT1"}},
        {"IRSHIFT", {"IRSHIFT", "IREXIT1"}},
        {"IREXIT1", {"IRPAUSE", "IRUPDATE"}},
        {"IRPAUSE", {"IRPAUSE", "IREXIT2"}},
        {"IREXIT2", {"IRSHIFT", "IRUPDATE"}},
        {"IRUPDATE", {"IDLE", "DRSELECT"}}};
    for (std::size_t i = 1; i < words.size(); ++i) {
      if (i == 1 && words[i].text == state_) continue;
      const auto& [zero, one] = kNext.at(state_);
      if (words[i].text != zero && words[i].text != one) throw std::logic_error("no such path");
      tick(words[i].text == one);
      state_ = words[i].text;
    }
  } else if (command == "RUNTEST") {
    std::size_t i = 1;
    if (std::isalpha(static_cast<unsigned char>(words[1].text[0])) != 0) {
      runState_ = runEnd_ = words[1].text;
      i = 2;
    }
    double count = -1, seconds = 0;
    for (; i + 1 < words.size(); i += 2) {
      if (words[i + 1].text == "TCK") count = std::stod(words[i].text);
      if (words[i + 1].text == "SEC") seconds = std::stod(words[i].text);
      if (words[i].text == "ENDSTATE") runEnd_ = words[i + 1].text;
      if (words[i].text == "MAXIMUM") ++i;
    }
    if (state_ != runState_) go(runState_);
    const double clocks = count >= 0 ? count : std::ceil(seconds * hz_ - 1e-6);
    for (double k = 0; k < clocks; ++k) tick(runState_ == "RESET");
    waited_ += std::max(0.0, seconds - clocks / hz_);
    if (state_ != runEnd_) go(runEnd_);
  } else if (command == "TRST") {
    if (words[1].text == "ON") go("RESET");
  }
}

void SvfReference::play(const std::string& text) {
  ways("11111");
  ways("0");
  for (const auto& words : statements(text)) {
    if (!words.empty()) statement(words);
  }
  if (state_ != "IDLE") go("IDLE");
}

namespace {

class Generator {
 public:
  explicit Generator(std::uint32_t seed) : random_(seed) {}

  std::string make() {
    const int count = 5 + below(40);
    for (const char* name : {"SIR", "SDR"}) scan(name);
    for (int i = 0; i < count; ++i) any();
    return text_;
  }

 private:
  int below(int n) { return static_cast<int>(random_() % static_cast<unsigned>(n)); }
  bool chance(int percent) { return below(100) < percent; }

  std::string cased(const std::string& word) {
    std::string result = word;
    for (char& c : result) {
      if (chance(20)) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    }
    return result;
  }
  void gap(bool needed) {
    static const char* const kGaps[] = {" ", "\n", "\r\n", "\t", " ! a remark; with (signs)\n", "  // another\r\n"};
    if (needed || chance(30)) text_ += chance(85) ? " " : kGaps[below(6)];
  }
  void put(const std::string& word) {
    text_ += cased(word);
    gap(true);
  }
  void digits(int length) {
    gap(false);
    text_ += "(";
    gap(false);
    const int most = (length + 3) / 4, top = length % 4;
    int count = chance(70) ? most : 1 + below(most);
    if (chance(10)) text_ += std::string(static_cast<std::size_t>(1 + below(5)), '0');
    for (int i = 0; i < count; ++i) {
      int value = below(16);
      if (chance(10)) value = 0;
      if (i == 0 && count == most && top != 0) value &= (1 << top) - 1;
      text_ += cased(std::string(1, "0123456789ABCDEF"[value]));
      if (chance(3)) gap(true);
    }
    gap(false);
    text_ += ")";
    gap(false);
  }
  void end() {
    text_ += ";";
    gap(true);
  }
  std::string stable() {
    static const char* const kStable[] = {"IDLE", "IDLE", "RESET", "DRPAUSE", "IRPAUSE"};
    return kStable[below(5)];
  }

  void scan(const std::string& name) {
    const bool padding = name[0] == 'H' || name[0] == 'T';
    int& length = lengths_[name];
    const int old = length;
    if (old == 0 || chance(40)) length = padding ? below(6) : chance(5) ? 1 + below(3000) : 1 + below(80);
    const bool fresh = length != old;
    put(name);
    put(std::to_string(length));
    if (length > 0) {
      if (fresh || chance(60)) device("TDI", length);
      if (chance(50)) device("TDO", length);
      if (chance(40)) device("MASK", length);
      if (chance(15)) device("SMASK", length);
    }
    end();
  }
  void device(const char* name, int length) {
    text_ += cased(name);
    gap(false);
    digits(length);
  }

  void any() {
    switch (below(10)) {
      case 0:
        put(chance(50) ? "ENDIR" : "ENDDR");
        put(stable());
        return end();
      case 1: {
        static const char* const kPads[] = {"HIR", "HDR", "TIR", "TDR"};
        return scan(kPads[below(4)]);
      }
      case 2:
      case 3:
        return runTest();
      case 4:
        put("STATE");
        put(stable());
        return end();
      case 5:
        // By way of every state between.
        put("STATE");
        put("IDLE");
        end();
        for (const char* word : {"STATE", "DRSELECT", "DRCAPTURE", "DREXIT1", "DRPAUSE", "DREXIT2", "DRUPDATE", "IDLE"})
          put(word);
        return end();
      case 6:
        if (!chance(20)) return scan("SDR");
        put("TRST");
        put(chance(50) ? "ON" : "OFF");
        return end();
      case 7:
        return scan("SIR");
      default:
        return scan("SDR");
    }
  }

  void runTest() {
    put("RUNTEST");
    if (chance(60)) put(stable());
    const bool count = chance(70);
    if (count) {
      put(std::to_string(below(200)));
      put("TCK");
    }
    if (!count || chance(40)) {
      put(chance(50) ? std::to_string(below(50)) + "E-6" : "0.0000" + std::to_string(below(90)));
      put("SEC");
      if (chance(20)) {
        put("MAXIMUM");
        put("1.5");
        put("SEC");
      }
    }
    if (chance(40)) {
      put("ENDSTATE");
      put(stable());
    }
    end();
  }

  std::mt19937 random_;
  std::string text_;
  std::map<std::string, int> lengths_;
};

}  // namespace

std::string randomSvf(std::uint32_t seed) {
  return Generator(seed).make();
}

}  // namespace imprimo::test
