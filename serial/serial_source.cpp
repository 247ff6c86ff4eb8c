// SPDX-License-Identifier: GPL-3.0-or-later
#include "serial/serial_source.h"

#include <fmt/format.h>

#include <QAbstractEventDispatcher>
#include <QCoreApplication>
#include <QEventLoop>
#include <QSerialPort>
#include <clocale>
#include <filesystem>

#include "core/probe/serial_ports.h"

namespace imprimo::serial {
namespace {

using std::chrono::milliseconds;
using std::chrono::steady_clock;

constexpr milliseconds kBetweenTries{300};
/// At a rate that is tried: by then what came is judged, however little it is.
constexpr milliseconds kLongEnough{400};

/// A port watches its device file by the thread's event dispatcher, also where no event loop runs.
void needDispatcher() {
  if (QCoreApplication::instance() == nullptr) {
    static int count = 1;
    static char name[] = "imprimo";
    static char* arguments[] = {name, nullptr};
    static const QCoreApplication application(count, arguments);
    std::setlocale(LC_NUMERIC, "C");  // numbers are read as before
  }
  if (QAbstractEventDispatcher::instance() == nullptr) {
    const QEventLoop loop;
  }
}

void configure(QSerialPort& port, const console::SerialSettings& settings) {
  using Parity = console::SerialSettings::Parity;
  port.setDataBits(static_cast<QSerialPort::DataBits>(settings.bits));
  port.setParity(settings.parity == Parity::None   ? QSerialPort::NoParity
                 : settings.parity == Parity::Even ? QSerialPort::EvenParity
                                                   : QSerialPort::OddParity);
  port.setStopBits(settings.stop == 2 ? QSerialPort::TwoStop : QSerialPort::OneStop);
  port.setFlowControl(QSerialPort::NoFlowControl);
}

}  // namespace

SerialSource::SerialSource(std::string node, console::SerialSettings settings, std::string channel)
    : node_(std::move(node)), channel_(std::move(channel)), settings_(settings) {
  needDispatcher();
  port_ = std::make_unique<QSerialPort>();
  if (settings_.baud == 0) search_.emplace();
  if (open()) return;
  throw Error(ErrorKind::Refused, fmt::format("the serial port {} does not open: {}", node_, why()),
              port_->error() == QSerialPort::PermissionError
                  ? "Another program may have it; otherwise add yourself to the group that may use it, usually dialout."
                  : "Look whether it is plugged in.");
}

SerialSource::~SerialSource() = default;

std::string SerialSource::why() const {
  return port_->errorString().toStdString();
}

bool SerialSource::open() {
  triedAt_ = listenedSince_ = steady_clock::now();
  port_->setPortName(QString::fromStdString(node_));
  configure(*port_, settings_);
  port_->setBaudRate(static_cast<qint32>(search_ ? search_->rate() : settings_.baud));
  return port_->open(QIODevice::ReadWrite);
}

/// Takes what came for the search, and gives back what is of the rate that was found.
void SerialSource::search(Bytes& bytes, std::string& note) {
  // Silence does not count: a single byte behind it says nothing yet.
  if (search_->heard().empty()) listenedSince_ = steady_clock::now();
  const bool over = steady_clock::now() - listenedSince_ >= kLongEnough;
  if (search_->take(bytes, over)) {
    port_->setBaudRate(static_cast<qint32>(search_->rate()));
    port_->clear(QSerialPort::Input);
    listenedSince_ = steady_clock::now();
  }
  bytes.clear();
  if (!search_->found()) return;
  bytes = search_->heard();
  settings_.baud = *search_->found();
  search_.reset();
  note = fmt::format("{} speaks {}", node_, console::serialText(settings_));
}

std::vector<console::Heard> SerialSource::hear() {
  std::vector<console::Heard> all;
  const auto say = [&](std::string what) {
    all.push_back({channel_});
    all.back().note = std::move(what);
  };
  if (!port_->isOpen()) {
    if (steady_clock::now() - triedAt_ < kBetweenTries || !open()) return all;
    say(node_ + " is there again");
  }
  port_->waitForReadyRead(0);
  const QByteArray got = port_->readAll();
  const QSerialPort::SerialPortError error = port_->error();
  Bytes bytes(got.begin(), got.end());
  std::string note;
  if (search_) search(bytes, note);
  if (!note.empty()) say(std::move(note));
  if (!bytes.empty()) {
    all.push_back({channel_});
    all.back().bytes = std::move(bytes);
  }
  if (error != QSerialPort::NoError && error != QSerialPort::TimeoutError) {
    say(fmt::format("{} went away ({}), and is waited for", node_, why()));
    port_->close();
    port_->clearError();
    triedAt_ = steady_clock::now();
  }
  return all;
}

std::size_t SerialSource::tell(ByteSpan bytes) {
  if (!port_->isOpen()) return 0;
  QByteArray out;
  for (const std::uint8_t byte : bytes) {
    if (byte == '\n') {
      out += console::endingText(settings_.ending);
    } else {
      out += static_cast<char>(byte);
    }
  }
  if (port_->write(out) != out.size()) return 0;
  constexpr int kPatience = 1000;
  while (port_->bytesToWrite() > 0 && port_->waitForBytesWritten(kPatience)) {
  }
  return bytes.size();
}

bench::OpenSerial opener(const probe::SystemRoot& system, const std::string& address,
                         const std::vector<std::string>& libraries) {
  return [=](const std::string& port, const console::SerialSettings& settings) {
    if (!port.empty()) {
      const std::string name = std::filesystem::path(port).filename().string();
      return std::make_unique<SerialSource>(port, settings, "serial " + name);
    }
    const auto ports =
        probe::listSerialPorts(system, probe::adapterCards({libraries.begin(), libraries.end()}), address);
    return std::make_unique<SerialSource>(probe::likelyPort(ports).node, settings, "serial");
  };
}

}  // namespace imprimo::serial
