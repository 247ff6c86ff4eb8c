// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAction>
#include <QFileSystemWatcher>
#include <QObject>
#include <QTimer>
#include <QUndoStack>
#include <map>
#include <set>

#include "app/images/image_comparison.h"
#include "app/model/workbench.h"
#include "app/session/file_reading.h"
#include "core/image/image_writer.h"
#include "core/image/look_over.h"

namespace imprimo::app {

/// All that a user decides about an image; every change of it can be undone.
struct ImageState {
  std::string memory = {};  ///< of the sheet; empty: for no part in particular
  std::vector<Placement> placements = {};
  std::vector<SumPlacement> sums = {};
  std::uint64_t size = 0;   ///< of the part; 0: not known
  std::uint64_t block = 0;  ///< its smallest erase block; 0: not known
  MemoryUse use = MemoryUse::Configuration;
  Bytes sync = {};  ///< how a bitstream begins, as it is stored
  std::uint8_t fill = kBlankByte;
  ImageFormat format = ImageFormat::Raw;
  int addressBits = 32;  ///< of formats with addresses
  std::uint32_t recordLength = 16;
  bool wholeMemory = false;          ///< the file holds all of the part, gaps with it
  std::set<std::string> meant = {};  ///< findings that the user has answered: "code supervisor.elf"
  friend bool operator==(const ImageState&, const ImageState&) = default;
};

/// A placement with what became of it.
struct PlacedFile {
  std::shared_ptr<const SourceFile> source = {};  ///< null when it could not be read
  const Piece* piece = nullptr;                   ///< in pieces(); null when it could not be placed
  QString problem = {};
  bool isRead = true;  ///< false while its file is being read
};

/// The image that is being built: its state with undo, the files it is made of, what was found, and what is looked at.
/// Without a sheet it is for no part in particular; with one it begins as the sheet's placements for a memory.
/// It has many functions because each thing that can be done to an image is one, with its own step for undoing; what
/// lives for itself (reading files, comparing) is a member.
class ImageDocument : public QObject {
  Q_OBJECT
 public:
  explicit ImageDocument(Workbench& bench, QObject* parent = nullptr);

  const ImageState& state() const { return state_; }
  /// The new state and what the user did, for the undo list. `merge` other than 0 joins steps of one gesture.
  void change(const QString& what, ImageState next, int merge = 0);
  QUndoStack& history() { return history_; }

  const std::vector<PlacedFile>& files() const { return files_; }
  /// What is placed and checksums behind it; in order, without what could not be placed.
  const std::vector<Piece>& pieces() const { return pieces_; }
  /// Which of files() a piece is; nothing for a checksum.
  std::optional<std::size_t> fileOf(std::size_t piece) const;
  const std::vector<Finding>& findings() const { return findings_; }
  std::vector<AddressRange> kept() const;
  /// Addresses that the view has to show.
  std::uint64_t extent() const;
  std::string name() const;

  /// Files are being read; pieces() is without them.
  bool isReading() const { return reading_.isReading(); }
  int percentRead() const { return reading_.percent(); }
  void stopReading();

  void addFile(const QString& path);
  void addPlacement(Placement placement);
  void remove(std::size_t index);
  void setPlacement(std::size_t index, const Placement& placement, const QString& what, int merge = 0);
  /// Moves a file so that its lowest address is `to`.
  void moveTo(std::size_t index, std::uint64_t to, int merge = 0);
  /// Answers a finding: it is meant so.
  void accept(const Finding& finding);
  static std::string answerKey(const Finding& finding, const std::vector<Piece>& pieces);

  std::optional<std::size_t> selected() const { return selected_; }
  void select(std::optional<std::size_t> index);
  std::uint64_t position() const { return position_; }
  void setPosition(std::uint64_t address);

  /// Another image, or a read-back, to compare with; told by message() when it cannot be read.
  void compareWith(const QString& path);
  void stopComparing();
  const ImageComparison& comparison() const { return comparison_; }

  void setMemory(const std::string& name);
  bool keptInSheet() const;
  void keepInSheet();
  /// Something that was decided here, for this memory or one looked at before, is not in the sheet.
  bool isUnkept() const { return !pending_.empty() || (!state_.memory.empty() && !keptInSheet()); }
  /// An image for no sheet's memory that is in no file.
  bool isUnsavedImage() const { return state_.memory.empty() && !state_.placements.empty() && !history_.isClean(); }
  /// All that is not kept goes into the sheet.
  void keepAll();
  bool canSave() const;
  /// True when it was saved. What is wrong is told by message().
  bool save(const QString& path);
  QString lastSaved() const { return savedAs_; }
  QString absolute(const std::string& file) const;
  QString relative(const QString& path) const;

 signals:
  void changed();  ///< state, files or findings
  void selectionChanged();
  void positionChanged();
  void readingProgressed();
  void message(const QString& text, bool trouble);

 private:
  void takeSheet();
  /// What the sheet says of a memory; nothing placed for an empty name.
  ImageState asInSheet(const std::string& memory);
  void apply(const ImageState& state);
  void rebuild();
  /// Reads the files that are not known yet: those that are quick at once.
  void fetchSources();
  void addRead(Placement placement, bool hasAddresses);
  void takeOther(const QString& path, const MemoryImage& image);
  /// Places a file anew; the piece goes behind pieces_.
  PlacedFile placed(std::size_t index, const LayoutRules& rules);
  void writeChecksums();
  void lookAgain();
  void watchFiles();
  void reread();
  std::filesystem::path folder() const;
  /// Placements with the same key have the same source.
  static std::string sourceKey(const Placement& placement);
  friend class ImageChange;

  Workbench& bench_;
  ImageState state_;
  QUndoStack history_;
  std::vector<PlacedFile> files_;
  std::vector<Placement> built_;  ///< the placements that files_ were made from, to make only what changed
  LayoutRules builtRules_;
  bool pristine_ = true;  ///< no checksum was written over a piece
  std::vector<Piece> pieces_;
  std::vector<std::size_t> pieceFiles_;
  std::vector<Finding> findings_;
  QString sumProblem_;
  bool keeping_ = false;
  std::map<std::string, ImageState> pending_;  ///< of other memories of the sheet, and not kept in it
  std::map<std::string, std::shared_ptr<const SourceFile>> sources_;
  std::map<std::string, QString> unreadable_;
  std::set<std::string> beingRead_;  // keys
  FileReading reading_, adding_, comparing_;
  std::optional<std::size_t> selected_;
  std::uint64_t position_ = 0;
  ImageComparison comparison_;
  QFileSystemWatcher watcher_;
  QTimer settle_;
  QStringList touched_;
  QString savedAs_;
  std::optional<std::filesystem::file_time_type> savedTime_;
};

}  // namespace imprimo::app
