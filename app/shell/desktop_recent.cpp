// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/desktop_recent.h"

#include <QDateTime>
#include <QFile>
#include <QFileInfo>
#include <QStandardPaths>
#include <QUrl>
#include <pugixml.hpp>
#include <sstream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"

namespace imprimo::app {
namespace {

constexpr const char* kType = "application/vnd.imprimo.sheet+json";
constexpr const char* kProgram = "imprimo";

QString listFile() {
  return QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation) + "/recently-used.xbel";
}

void set(pugi::xml_node node, const char* name, const std::string& value) {
  if (!node.attribute(name)) node.append_attribute(name);
  node.attribute(name).set_value(value.c_str());
}

pugi::xml_node child(pugi::xml_node node, const char* name) {
  const pugi::xml_node there = node.child(name);
  return there ? there : node.append_child(name);
}

}  // namespace

void noteForDesktop(const QString& path) {
  pugi::xml_document list;
  const QString file = listFile();
  if (QFileInfo::exists(file)) {
    if (!list.load_file(file.toUtf8().constData(), pugi::parse_full)) return;
  } else {
    list.append_child(pugi::node_declaration);
    set(list.first_child(), "version", "1.0");
    set(list.first_child(), "encoding", "UTF-8");
  }
  pugi::xml_node root = child(list, "xbel");
  if (!root.attribute("version")) {
    set(root, "version", "1.0");
    set(root, "xmlns:bookmark", "http://www.freedesktop.org/standards/desktop-bookmarks");
    set(root, "xmlns:mime", "http://www.freedesktop.org/standards/shared-mime-info");
  }
  const std::string url = QUrl::fromLocalFile(QFileInfo(path).absoluteFilePath()).toEncoded().toStdString();
  const std::string now = QDateTime::currentDateTimeUtc().toString(Qt::ISODate).toStdString();
  pugi::xml_node entry = root.find_child_by_attribute("bookmark", "href", url.c_str());
  if (!entry) {
    entry = root.append_child("bookmark");
    set(entry, "href", url);
    set(entry, "added", now);
  }
  set(entry, "modified", now);
  set(entry, "visited", now);
  pugi::xml_node metadata = child(child(entry, "info"), "metadata");
  set(metadata, "owner", "http://freedesktop.org");
  set(child(metadata, "mime:mime-type"), "type", kType);
  pugi::xml_node programs = child(metadata, "bookmark:applications");
  pugi::xml_node program = programs.find_child_by_attribute("bookmark:application", "name", kProgram);
  if (!program) {
    program = programs.append_child("bookmark:application");
    set(program, "name", kProgram);
    set(program, "exec", "'imprimo %f'");
  }
  set(program, "modified", now);
  set(program, "count", std::to_string(program.attribute("count").as_int() + 1));
  std::ostringstream text;
  list.save(text, "  ", pugi::format_default, pugi::encoding_utf8);
  try {
    writeFileAtomically(file.toStdString(), std::string_view(text.str()));
  } catch (const Error&) {
    // Somebody else's list; ours is in the menu.
  }
}

}  // namespace imprimo::app
