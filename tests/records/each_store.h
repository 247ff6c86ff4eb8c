// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "tests/records/ledger_world.h"
#include "tests/records/postgres.h"
#include "tests/support/check.h"

namespace imprimo::test {

/// A test class whose tests run on both kinds of store, by a column "server".
class EachStore : public QObject {
 public:
  static void stores() {
    QTest::addColumn<bool>("server");
    QTest::newRow("sqlite") << false;
    if (PostgresServer::isInstalled()) QTest::newRow("postgresql") << true;
  }

 protected:
  /// A store with nothing in it.
  std::string freshStore(bool server) {
    if (!server) {
      world_ = std::make_unique<LedgerWorld>();
      return world_->store();
    }
    if (!server_) server_ = std::make_unique<PostgresServer>();
    return server_->freshStore();
  }
  PostgresServer& server() { return *server_; }

 private:
  std::unique_ptr<LedgerWorld> world_;
  std::unique_ptr<PostgresServer> server_;
};

}  // namespace imprimo::test
