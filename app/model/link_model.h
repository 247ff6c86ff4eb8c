// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QString>
#include <optional>
#include <set>

#include "app/model/sheet_document.h"
#include "app/session/bench_session.h"

namespace imprimo::app {

enum class LinkState { NotConnected, Connecting, Connected, Mismatch };

/// The probe and what was found behind it. The workbench listens, and tells the views.
class LinkModel : public QObject {
  Q_OBJECT
 public:
  LinkModel(SheetDocument& document, BenchSession& session, QObject* parent = nullptr);

  LinkState state() const { return state_; }
  bool isConnected() const { return state_ == LinkState::Connected; }
  const std::optional<ConnectReport>& report() const { return report_; }
  QString problem() const { return problem_; }
  QString address() const { return address_; }
  /// With `wait`, up to so many seconds until power and chain are there.
  void connectTo(const QString& address, std::optional<std::uint32_t> wait = {});
  void reconnect();
  /// Nothing is connected to any more, and what was known is forgotten.
  void forget();
  /// The same, because the user says so: the probe is not taken again by itself.
  void disconnectProbe();
  /// Seconds left while connecting waits for the target; nothing while it does not.
  std::optional<double> waitLeft() const { return waitLeft_; }
  /// A description for a device of the rail; it joins the user's library, and the chain is looked at again.
  bool describeDevice(std::size_t position, const QString& file);
  /// Why the last one was not taken.
  QString whyNotDescribed() const { return whyNotDescribed_; }

  /// How a device said it is; null where it was not looked at, or tells nothing.
  const bench::DeviceReport* deviceReport(std::size_t position) const;
  /// How a core did when it was sampled last; null where it was not since it was connected to.
  const debug::CoreWatch* watched(const std::string& core) const;
  /// What a memory said of itself; null where it was not identified.
  const memory::Identity* identity(const std::string& memory) const;
  /// Its registers as they were read last; empty before that.
  const std::vector<std::uint8_t>& registers(const std::string& memory) const;
  /// The device that has to be loaded before the memory can be reached.
  std::optional<std::string> neededBridge(const std::string& memory) const;

  // What was found out since.
  void setRegisters(const std::string& memory, const std::vector<std::uint8_t>& values);
  void setClock(std::uint32_t hz);
  void takeWatch(const std::string& core, const debug::CoreWatch& watch);
  /// What a run says of devices at its end, and what that means for the memories that are reached through them.
  void takeDevices(const run::Record& record);
  void takeIdentity(const std::string& memory, const memory::Identity& identity,
                    const std::vector<std::uint8_t>& registers);

 signals:
  void changed();
  void connecting();
  void reported();  ///< what was found is in report(), or why nothing was
  void lost(const QString& why);
  void devicesChanged();
  void message(const QString& text, bool trouble);

 private:
  /// What the sheet keeps of a memory that was seen.
  void keepCard(const std::string& memory, const memory::Identity& identity);
  void take(const ConnectReport& report);

  SheetDocument& document_;
  BenchSession& session_;
  LinkState state_ = LinkState::NotConnected;
  std::optional<ConnectReport> report_;
  void takeProbes(const probe::ProbeListing& listing);

  std::set<std::string> probes_;  // on USB, as they were listed last
  bool listed_ = false;
  QString whyNotDescribed_;
  QString problem_, address_;
  std::optional<double> waitLeft_;
};

}  // namespace imprimo::app
