// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/line/release_dialog.h"

#include <QFileDialog>
#include <QFormLayout>
#include <QSettings>

#include "app/line/dialog_foot.h"
#include "app/line/secret_field.h"
#include "app/session/help_words.h"

namespace imprimo::app {
namespace {

/// The number of the last release that was made here.
constexpr const char* kLastNumber = "lastRelease";

QLineEdit* wordsField(QWidget* parent, const char* name, const QString& words) {
  auto* edit = new QLineEdit(parent);
  edit->setObjectName(name);
  edit->setPlaceholderText(words);
  edit->setFont(textFont(13));
  return edit;
}

}  // namespace

ReleaseDialog::ReleaseDialog(sheet::Sheet sheet, QWidget* parent)
    : QDialog(parent), sheet_(std::move(sheet)), fresh_(!std::filesystem::exists(release::signingKeyFile())) {
  setObjectName("releaseDialog");
  setWindowTitle(tr("Release"));
  auto* column = new QVBoxLayout(this);
  auto* heading = new QLabel(tr("Release of %1").arg(QString::fromStdString(sheet_.title)), this);
  heading->setFont(textFont(15, QFont::DemiBold));
  column->addWidget(heading);
  auto* form = new QFormLayout;
  column->addLayout(form);
  number_ = new QSpinBox(this);
  number_->setObjectName("releaseNumber");
  number_->setRange(1, 1'000'000);
  number_->setValue(QSettings().value(kLastNumber, 0).toInt() + 1);
  form->addRow(tr("Number"), number_);
  byItself_ = new QCheckBox(tr("A board begins by itself"), this);
  byItself_->setObjectName("releaseByItself");
  byItself_->setChecked(true);
  signOn_ = new QCheckBox(tr("Operators sign on"), this);
  signOn_->setObjectName("releaseSignOn");
  form->addRow({}, byItself_);
  form->addRow({}, signOn_);
  units_ = wordsField(this, "releaseUnits", tr("no limit"));
  form->addRow(tr("Good units, at most"), units_);
  good_ = wordsField(this, "releaseGood", tr("Take the board out, and put the next one in."));
  form->addRow(tr("After a good one"), good_);
  failed_ = wordsField(this, "releaseFailed", tr("Put this board aside, and take the next one."));
  form->addRow(tr("After a failed one"), failed_);
  name_ = wordsField(this, "releaseKeyName", tr("a bench, or who works there"));
  once_ = secretField(this, "releasePassphrase", tr("Passphrase"));
  again_ = secretField(this, "releasePassphraseAgain", tr("The same once more"));
  once_->setMinimumWidth(340);
  if (fresh_) {
    form->addRow(tr("Signed by"), name_);
    form->addRow(tr("A passphrase for the new key"), once_);
    form->addRow({}, again_);
  } else {
    name_->hide();
    again_->hide();
    form->addRow(tr("The key's passphrase"), once_);
  }
  const DialogFoot foot = addFoot(this, column, "release", tr("Sign and save…"));
  problem_ = foot.problem;
  go_ = foot.go;
  connect(go_, &QPushButton::clicked, this, &ReleaseDialog::chooseFile);
  for (QLineEdit* edit : {once_, again_, name_, units_})
    connect(edit, &QLineEdit::textChanged, this, &ReleaseDialog::refresh);
  refresh();
}

void ReleaseDialog::refresh() {
  const bool limited = !units_->text().trimmed().isEmpty();
  bool fits = true;
  if (limited) fits = units_->text().trimmed().toULongLong(&fits) > 0 && fits;
  go_->setEnabled(fits && !once_->text().isEmpty() &&
                  (!fresh_ || (!name_->text().trimmed().isEmpty() && once_->text() == again_->text())));
  problem_->setText(fits ? QString() : tr("The limit is a whole number, or empty."));
}

release::LineRules ReleaseDialog::rules() const {
  release::LineRules line;
  line.startsByItself = byItself_->isChecked();
  line.signOn = signOn_->isChecked();
  if (!units_->text().trimmed().isEmpty()) line.units = units_->text().trimmed().toULongLong();
  line.afterGood = good_->text().trimmed().toStdString();
  line.afterFailed = failed_->text().trimmed().toStdString();
  return line;
}

/// One that is made here is trusted here: who signs on this computer may run it.
release::SigningKey ReleaseDialog::key() {
  const release::SecretText passphrase = takenFrom(once_);
  static_cast<void>(takenFrom(again_));
  if (!fresh_) return release::SigningKey::open(release::signingKeyFile(), passphrase);
  auto made = release::SigningKey::make(release::signingKeyFile(), name_->text().trimmed().toStdString(), passphrase);
  release::trustedKeys().add(made.publicKey());
  fresh_ = false;
  return made;
}

void ReleaseDialog::chooseFile() {
  const QString file = QFileDialog::getSaveFileName(this, tr("Save the release"),
                                                    QString("release-%1.imprimo-release").arg(number_->value()),
                                                    tr("Releases (*.imprimo-release)"));
  if (!file.isEmpty()) saveTo(file);
}

void ReleaseDialog::saveTo(const QString& file) {
  try {
    // What cannot be frozen costs no passphrase.
    const release::Release frozen = release::freeze(sheet_, static_cast<std::uint64_t>(number_->value()), rules());
    release::writeRelease(frozen, key(), file.toStdString());
    QSettings().setValue(kLastNumber, number_->value());
    file_ = file;
    accept();
  } catch (const Error& e) {
    problem_->setText(told(e));
    once_->setFocus();
  }
}

}  // namespace imprimo::app
