// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/vectors/contents.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <tuple>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/vectors/comments.h"

namespace imprimo::vectors {
namespace {

using Action = VectorContents::Action;
constexpr std::uint64_t kBetweenNews = 1 << 20, kBitsBetweenNews = 1 << 26, kMostHeld = 1ull << 30;

class Taking {
 public:
  Taking(svf::Reader& reader, const std::function<bool(std::uint64_t)>& told, std::uint64_t until)
      : reader_(reader), told_(told), until_(until) {}

  VectorContents run() {
    reader_.onComment([this](const svf::Comment& comment) { comments_.take(comment.text); });
    svf::Statement s;
    std::uint64_t news = 0, bits = 0;
    while (reader_.next(s) && s.place.offset < until_) {
      bits += reader_.value(s.field).length;
      if (told_ && (s.end >= news || bits > kBitsBetweenNews)) {
        bits = 0;
        news = s.end + kBetweenNews;
        if (!told_(s.end)) throw Error(ErrorKind::Stopped, "stopped while the file was read");
      }
      if (s.kind == svf::Statement::Kind::Scan && s.field == svf::Field::Sdr) dataScan(s);
    }
    reader_.onComment({});
    return std::move(contents_);
  }

 private:
  /// Which bridge is spoken to: where it is, and the instruction that selects it.
  using Key = std::tuple<std::size_t, std::size_t, std::size_t, std::size_t, std::string>;

  void dataScan(const svf::Statement& s) {
    const auto& own = reader_.value(svf::Field::Sdr);
    const std::size_t after = reader_.value(svf::Field::Hdr).length, before = reader_.value(svf::Field::Tdr).length;
    const svf::FieldValue& instruction = reader_.value(svf::Field::Sir);
    const Key key{before, after, reader_.value(svf::Field::Hir).length, reader_.value(svf::Field::Tir).length,
                  instruction.tdi.size() <= 256 ? instruction.tdi.wireText() : std::string()};
    const auto known = decoders_.find(key);
    BridgeDecoder fresh = comments_.decoder();
    BridgeDecoder& decoder = known != decoders_.end() ? known->second.first : fresh;
    const auto operations = decoder.decode(own.tdi, own.tdo ? &*own.tdo : nullptr, &own.mask, before + after + 1);
    if (!operations) {
      ++contents_.otherScans;
      return;
    }
    if (known == decoders_.end()) {
      decoders_.emplace(key, std::pair{fresh, contents_.memories.size()});
      VectorContents::Memory& memory = contents_.memories.emplace_back();
      memory.before = before;
      memory.after = after;
    }
    VectorContents::Memory& memory = contents_.memories[decoders_.at(key).second];
    if (!comments_.memory().empty()) memory.name = comments_.memory();
    memory.fourBytes = memory.fourBytes || decoder.fourBytes();
    if (memory.name.empty()) memory.name = fmt::format("memory behind part {}", before + 1);
    for (const BridgeOperation& op : *operations) take(memory, op, s.place.line);
  }

  static void act(VectorContents::Memory& memory, Action::Kind kind, const AddressRange& range, std::uint64_t line) {
    constexpr std::uint64_t kPage = 256;
    Action* last = memory.actions.empty() ? nullptr : &memory.actions.back();
    const bool followsOn = last != nullptr && last->kind == kind && range.begin >= last->range.end &&
                           range.begin - last->range.end < (kind == Action::Kind::Write ? kPage : 1);
    if (!followsOn) {
      memory.actions.push_back({kind, range, range.size(), line});
      return;
    }
    last->range.end = range.end;
    last->bytes += range.size();
  }

  void take(VectorContents::Memory& memory, const BridgeOperation& op, std::uint64_t line) {
    if (op.range.empty() || op.range.end < op.range.begin) return;
    switch (op.kind) {
      case BridgeOperation::Kind::Erase:
        act(memory, Action::Kind::Erase, op.range, line);
        memory.erased.add(op.range);
        memory.image.erase(op.range);
        memory.expected.erase(op.range);  // what was compared before is of what was there before
        return;
      case BridgeOperation::Kind::Program: {
        act(memory, Action::Kind::Write, op.range, line);
        memory.written.add(op.range);
        // Bits only go from 1 to 0: what was known to be there stays.
        Bytes bytes = op.bytes, old(op.bytes.size(), kBlankByte);
        memory.image.copyTo(op.range.begin, old);
        for (std::size_t i = 0; i < bytes.size(); ++i) bytes[i] &= old[i];
        memory.image.write(op.range.begin, bytes);
        memory.expected.erase(op.range);
        return;
      }
      case BridgeOperation::Kind::Read: {
        if (op.answered < op.bytes.size() ||
            std::any_of(op.known.begin(), op.known.end(), [](auto m) { return m != 0xFF; }))
          return;
        act(memory, Action::Kind::Compare, op.range, line);
        memory.compared.add(op.range);
        memory.expected.write(op.range.begin, op.bytes);
        return;
      }
      default:
        return;
    }
  }

  svf::Reader& reader_;
  const std::function<bool(std::uint64_t)>& told_;
  std::uint64_t until_;
  VectorContents contents_;
  std::map<Key, std::pair<BridgeDecoder, std::size_t>> decoders_;
  VectorComments comments_;
};

}  // namespace

const char* nameOf(Action::Kind kind) {
  switch (kind) {
    case Action::Kind::Erase:
      return "erase";
    case Action::Kind::Write:
      return "write";
    case Action::Kind::Compare:
      return "compare";
  }
  return "";
}

MemoryImage VectorContents::Memory::held() const {
  if (erased.size() > kMostHeld)
    throw Error(ErrorKind::Usage, "it erases more than a gigabyte; no image is made of that");
  MemoryImage all;
  for (const AddressRange& r : erased.ranges()) all.write(r.begin, Bytes(r.size(), kBlankByte));
  all.write(image);
  return all;
}

std::optional<std::uint64_t> VectorContents::Memory::contradiction() const {
  for (const MemoryImage::Segment& s : expected.segments()) {
    // What the file neither erases nor writes it can only compare.
    Bytes now(s.bytes.begin(), s.bytes.end());
    for (const AddressRange& r : erased.ranges()) {
      const AddressRange cut = s.range().cut(r);
      if (s.range().overlaps(r))
        std::fill_n(now.begin() + static_cast<std::ptrdiff_t>(cut.begin - s.begin), cut.size(), kBlankByte);
    }
    image.copyTo(s.begin, now);
    const auto [a, b] = std::mismatch(now.begin(), now.end(), s.bytes.begin());
    if (a != now.end()) return s.begin + static_cast<std::uint64_t>(a - now.begin());
  }
  return std::nullopt;
}

VectorContents contentsOf(svf::Reader& reader, const std::function<bool(std::uint64_t)>& told, std::uint64_t until) {
  return Taking(reader, told, until).run();
}

}  // namespace imprimo::vectors
