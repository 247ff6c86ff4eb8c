// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/guide_browser.h"

#include <QFile>
#include <QRegularExpression>

namespace imprimo::app {
namespace {

const QString kGuide = QStringLiteral("qrc:/docs/guide/");

QString titleOf(const QString& text) {
  return text.section('\n', 0, 0).remove(QRegularExpression("^#+ *"));
}

}  // namespace

QString guideText(const QUrl& url) {
  if (url.scheme() != "qrc") return {};
  QFile file(":" + url.path());
  if (!file.open(QIODevice::ReadOnly)) return {};
  static const QRegularExpression kComment("<!--.*?-->\\n*");
  return QString::fromUtf8(file.readAll()).remove(kComment);
}

std::vector<GuidePage> guidePages() {
  const QUrl index(kGuide + "index.md");
  const QString text = guideText(index);
  std::vector<GuidePage> pages{{titleOf(text), index}};
  static const QRegularExpression kLink("\\]\\(([a-z-]+\\.md)\\)");
  for (auto each = kLink.globalMatch(text); each.hasNext();) {
    const QUrl url(kGuide + each.next().captured(1));
    pages.push_back({titleOf(guideText(url)), url});
  }
  return pages;
}

GuideBrowser::GuideBrowser(QWidget* parent) : QTextBrowser(parent) {
  setOpenLinks(true);
  setOpenExternalLinks(false);
}

QVariant GuideBrowser::loadResource(int type, const QUrl& url) {
  if (type == QTextDocument::MarkdownResource || url.path().endsWith(".md")) return guideText(url);
  return QTextBrowser::loadResource(type, url);
}

}  // namespace imprimo::app
