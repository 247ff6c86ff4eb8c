// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTextBrowser>
#include <QUrl>
#include <vector>

namespace imprimo::app {

struct GuidePage {
  QString title;
  QUrl url;
};

/// Pages of the guide in the order of its index, which is the first of them.
std::vector<GuidePage> guidePages();
/// What a page says, without what is only for tests; empty where there is none.
QString guideText(const QUrl& url);

/// Shows pages of the guide and of the formats; links lead from one to the next, those to anywhere else nowhere.
class GuideBrowser : public QTextBrowser {
  Q_OBJECT
 public:
  explicit GuideBrowser(QWidget* parent = nullptr);

 protected:
  QVariant loadResource(int type, const QUrl& url) override;
};

}  // namespace imprimo::app
