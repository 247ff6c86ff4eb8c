// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/qt_version.h"

#include <QtGlobal>

namespace imprimo::records {

const char* qtVersion() {
  return qVersion();
}

}  // namespace imprimo::records
