// A private message bus for a test, with a service on it.
#pragma once

#include <systemd/sd-bus.h>

#include <cstdlib>
#include <fstream>
#include <memory>
#include <string>
#include <vector>

#include "made_units.hpp"

namespace omnipar::test {

class TestBus {
 public:
  /// `variable` tells programs the address of the bus: DBUS_SESSION_BUS_ADDRESS, or that of the system bus.
  explicit TestBus(const char* variable) : variable_(variable) {
    std::ofstream{"/etc/passwd"} << "root:x:0:0:root:/tmp:/bin/sh\n";  // by which the daemon authenticates us
    std::ofstream{"/tmp/bus.conf"} << R"(<busconfig><listen>unix:path=/tmp/bus</listen>
<auth>EXTERNAL</auth><policy context="default"><allow user="*"/><allow own="*"/><allow send_destination="*"/>
<allow receive_sender="*"/></policy></busconfig>)";
    daemon_ = std::make_unique<Program>(
        std::vector<std::string>{"/box/dbus-daemon", "--nofork", "--config-file=/tmp/bus.conf", "--print-address"});
    const bool is_there = daemon_->wait_for("unix:path");
    INFO(daemon_->output());
    REQUIRE(is_there);
    ::setenv(variable, "unix:path=/tmp/bus", 1);
    REQUIRE(sd_bus_new(&bus_) >= 0);
    REQUIRE(sd_bus_set_address(bus_, "unix:path=/tmp/bus") >= 0);
    REQUIRE(sd_bus_set_bus_client(bus_, 1) >= 0);
    REQUIRE(sd_bus_start(bus_) >= 0);
  }
  ~TestBus() {
    sd_bus_close_unref(bus_);
    ::unsetenv(variable_);
  }
  TestBus(const TestBus&) = delete;
  TestBus& operator=(const TestBus&) = delete;

  /// A service with this name and an object with these methods.
  void offer(const char* service, const char* object, const char* interface, const sd_bus_vtable* methods, void* self) {
    REQUIRE(sd_bus_add_object_vtable(bus_, nullptr, object, interface, methods, self) >= 0);
    REQUIRE(sd_bus_request_name(bus_, service, 0) >= 0);
  }
  /// The same for interfaces that the library reserves: all calls of the object go to `handler`.
  void offer(const char* service, const char* object, sd_bus_message_handler_t handler) {
    REQUIRE(sd_bus_add_object(bus_, nullptr, object, handler, nullptr) >= 0);
    REQUIRE(sd_bus_request_name(bus_, service, 0) >= 0);
  }
  /// Answers requests until `is_so`; false after 5 s.
  template <typename IsSo>
  bool serve_until(IsSo is_so) {
    for (int tries = 0; tries < 50; ++tries) {
      while (sd_bus_process(bus_, nullptr) > 0) {
      }
      if (is_so()) return true;
      constexpr std::uint64_t tenth_of_a_second = 100'000;
      sd_bus_wait(bus_, tenth_of_a_second);
    }
    return false;
  }
  void close() { daemon_.reset(); }

 private:
  const char* variable_;
  std::unique_ptr<Program> daemon_;
  sd_bus* bus_ = nullptr;
};

}  // namespace omnipar::test
