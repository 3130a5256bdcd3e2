// A plan of the kit, units at its seats, and a reader: the starting point of most engine tests.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "support/units.hpp"

namespace omnipar::test {

inline constexpr std::int64_t ms = 1000;
using Changes = std::vector<Change>;

/// A plan of the kit, units at seat-1, and a reader.
struct Table {
  explicit Table(const Plan& plan) : engine(plan), reader(engine) {}
  explicit Table(const std::vector<Binding>& bind) : Table(plan_with(bind)) {}

  static Plan plan_with(const std::vector<Binding>& bind) {
    Profile profile = propose(kit_catalogue(), "kit").value();
    profile.ports[0].bind = bind;
    return plan_of(kit_catalogue(), profile);
  }

  UnitId plug(const Description& unit, Changes state = {}, const std::string& seat = "seat-1") {
    Attachment attachment = seated(unit, seat);
    attachment.state = std::move(state);
    return engine.attach(attachment).value();
  }
  void feed(UnitId unit, std::int64_t us, const Changes& changes) { engine.feed(unit, {at_us(us), changes}); }
  [[nodiscard]] TargetIndex at(std::string_view name, int port = 1) const {
    return engine.plan().target(port, name).value();
  }
  double next(std::string_view name) {
    reader.next_frame();
    return value(name);
  }
  [[nodiscard]] double value(std::string_view name, int port = 1) const {
    return reader.port(port).value(at(name, port));
  }
  [[nodiscard]] bool down(std::string_view name, int port = 1) const {
    return reader.port(port).pressed(at(name, port));
  }
  [[nodiscard]] std::int32_t native(std::string_view name) const { return reader.port(1).native(at(name)); }
  [[nodiscard]] std::uint32_t presses(std::string_view name) const { return reader.port(1).presses(at(name)); }
  /// A target's next samples: '#' where it is down.
  std::string shown(std::string_view name, int samples) {
    std::string seen;
    for (; samples > 0; --samples) seen += next(name) != 0 ? '#' : '.';
    return seen;
  }

  Engine engine;
  Reader reader;
};

/// A table with a plain pad at seat-1.
struct OnePad : Table {
  explicit OnePad(const std::string& system = "kit") : OnePad(plan_of(system)) {}
  explicit OnePad(const Plan& plan) : Table(plan), pad(plug(plain_pad())) {}
  explicit OnePad(const std::vector<Binding>& bind) : OnePad(plan_with(bind)) {}
  using Table::feed;
  void feed(std::int64_t us, const Changes& changes) { feed(pad, us, changes); }

  UnitId pad;
};

[[nodiscard]] inline Use with(std::string role, Duration debounce, Duration hold = {}) {
  Use use{std::move(role)};
  use.settings.set("debounce", debounce);
  use.settings.set("long-press", hold);
  return use;
}

[[nodiscard]] inline Use ramped(std::string role, double pushes_per_second) {
  Use use{std::move(role)};
  use.settings.set("ramp", pushes_per_second);
  return use;
}

}  // namespace omnipar::test
