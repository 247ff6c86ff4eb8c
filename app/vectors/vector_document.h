// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAction>
#include <QObject>
#include <QTemporaryDir>
#include <optional>
#include <set>
#include <thread>

#include "app/model/workbench.h"
#include "app/vectors/vector_file.h"
#include "app/vectors/vector_playing.h"
#include "core/vectors/contents.h"
#include "core/vectors/export.h"

namespace imprimo::app {

/// What is chosen for a file that is about to be written.
struct ExportChoice {
  bool verify = true, load = true, shortDigits = false, knownContents = false;
  std::uint32_t hz = 0;  ///< 0: the sheet's
  friend bool operator==(const ExportChoice&, const ExportChoice&) = default;
};

/// What a file does, beside its plain text: found in the background behind the survey.
struct VectorFacts {
  vectors::VectorContents contents;
  QString problem;
  /// Against what the sheet places in the memory of that name: how many of its blocks the file would leave otherwise.
  std::optional<std::size_t> otherBlocks;
  std::string comparedMemory;
};

/// A file of vectors that is looked at, and played: what the views of it share. Reading it through goes on in the
/// background; everything else happens on the GUI thread.
class VectorDocument : public QObject {
  Q_OBJECT
 public:
  explicit VectorDocument(Workbench& bench, QObject* parent = nullptr);
  ~VectorDocument() override;

  bool isOpen() const { return file_ != nullptr; }
  /// What cannot be opened is told by message().
  bool open(const QString& path);
  void close();
  const std::shared_ptr<VectorFile>& file() const { return file_; }
  const svf::Survey& survey() const { return survey_; }
  const std::optional<VectorFacts>& facts() const { return facts_; }
  QString title() const;

  /// The offset of the row that is looked at.
  std::uint64_t position() const { return position_; }
  void setPosition(std::uint64_t offset);
  std::uint64_t row() const;
  void moveRows(std::int64_t by);
  /// To the step or reset before or behind.
  void moveMarks(int direction);

  /// Rows that the user marked, by offset.
  const std::set<std::uint64_t>& bookmarks() const { return bookmarks_; }
  void toggleBookmark();
  void nextBookmark();
  /// The next place of a text from behind the position, around the file's end once.
  void find(const QString& text);

  // A file that is about to be written from what the bench plans.
  bool isPreview() const { return preview_; }
  const ExportChoice& choice() const { return choice_; }
  void setChoice(const ExportChoice& choice);
  /// Makes it anew from the sheet as it is now.
  void makePreview();
  bool savePreview(const QString& path);

  /// The chain that the file is told in the words of.
  svf::ChainView chain() const;

  VectorPlaying& playing() { return playing_; }
  const VectorPlaying& playing() const { return playing_; }

  QAction *playAction, *pauseAction, *stopAction, *openAction, *findAction, *bookmarkAction, *nextBookmarkAction,
      *previewAction;

 signals:
  void changed();        ///< another file, or none
  void surveyChanged();  ///< more of it is known
  void factsChanged();
  void positionChanged();
  void marksChanged();
  void playChanged();  ///< playing() has another state, progress or mismatch
  void openRequested();
  void findRequested();
  void message(const QString& text, bool trouble);

 private:
  void makeActions();
  void show(std::shared_ptr<VectorFile> file);
  void readThrough();
  void takeSurvey(svf::Survey survey);
  void takeFacts(VectorFacts facts);
  void updateWords();
  void updateActions();
  template <typename Tell>
  void answer(quint64 generation, Tell&& tell);
  vectors::VectorWish wish() const;

  Workbench& bench_;
  std::shared_ptr<VectorFile> file_;
  svf::Survey survey_;
  std::optional<VectorFacts> facts_;
  std::uint64_t position_ = 0;
  std::set<std::uint64_t> bookmarks_;
  bool preview_ = false;
  ExportChoice choice_;
  QTemporaryDir folder_;
  int previews_ = 0;

  VectorPlaying playing_;
  quint64 generation_ = 0;
  std::jthread reading_, searching_;  // last: they use all of the above until they have ended
};

}  // namespace imprimo::app
