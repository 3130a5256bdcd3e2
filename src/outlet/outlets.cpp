#include "outlet/outlets.hpp"

#include <algorithm>
#include <array>
#include <cstdlib>
#include <cstring>

#include <fmt/format.h>

#include "shape/shape.hpp"

namespace omnipar::inline abi_0::outlet {
namespace {

/// True if the devices' nodes of a family come in order, by number and as text ("event10" sorts before "event9").
bool in_order(const std::vector<VirtualDevice>& devices, std::string_view family) {
  std::string_view before;
  for (const VirtualDevice& device : devices) {
    const std::string_view node = device.node_of(family);
    if (node.empty()) continue;
    if (node < before || node.size() < before.size()) return false;
    before = node;
  }
  return true;
}

/// The order of events within a report: releases first, and modifiers outermost.
int rank_of(const input_event& event) noexcept {
  const bool modifier = is_modifier({event.type, event.code});
  if (event.type == EV_KEY && event.value == 0) return modifier ? 1 : 0;
  return modifier ? 2 : 3;
}

void add(std::vector<input_event>& report, const input_event& event) {
  if (report.empty() || rank_of(report.back()) <= rank_of(event))
    report.push_back(event);
  else
    report.insert(std::ranges::upper_bound(report, rank_of(event), {}, rank_of), event);
}

/// A gun's axis may already be in the report: the last value counts.
void put(std::vector<input_event>& report, const input_event& event) {
  const auto is_there = [&event](const input_event& other) {
    return other.type == event.type && other.code == event.code;
  };
  const auto at = std::ranges::find_if(report, is_there);
  at == report.end() ? add(report, event) : static_cast<void>(*at = event);
}

bool is_gun(const TargetInfo& target) { return target.place == "gun" || target.place == "pointer"; }

}  // namespace

Outlets::Outlets(os::Door& door, const Engine& engine, const PacedReader& reader, OffScreen off_screen)
    : door_(door), off_screen_(off_screen), engine_(engine), reader_(reader), keeper_(door) {}

std::optional<Diagnostic> Outlets::start(int play) {
  play_ = play;
  if (const int result = keeper_.start(); result < 0)
    return Diagnostic{
        "no-keeper", Severity::error,
        fmt::format("cannot start the process that owns the virtual controllers: {}", std::strerror(-result)), "",
        "close other programs and try again"};
  return route_anew();
}

std::optional<Diagnostic> Outlets::route_anew() {
  routes_.assign(engine_.plan().targets().size(), {});
  for (const PortInfo& port : engine_.plan().ports()) route_port(port);
  std::vector<DeviceKey> missing = devices_of(engine_.plan());
  std::erase_if(missing, [this](DeviceKey key) {
    return std::ranges::find(devices_, key, &VirtualDevice::key) != devices_.end();
  });
  // The kernel assigns the lowest free number; nodes out of order keep theirs occupied while the next are created.
  constexpr int most_rounds = 4;
  std::vector<VirtualDevice> out_of_order;
  for (int round = 1;; ++round) {
    std::vector<VirtualDevice> made;
    if (auto failure = make(missing, made)) return failure;
    const bool good = in_order(made, "event") && in_order(made, "js") && in_order(made, "mouse");
    if (good || round == most_rounds) return keep(std::move(made));
    for (VirtualDevice& device : made) out_of_order.push_back(std::move(device));
  }
}

std::optional<Diagnostic> Outlets::make(const std::vector<DeviceKey>& keys, std::vector<VirtualDevice>& into) {
  for (const DeviceKey key : keys) {
    auto device = VirtualDevice::make(door_, key, play_);
    if (!device) return device.error();
    into.push_back(std::move(*device));
  }
  return std::nullopt;
}

std::optional<Diagnostic> Outlets::keep(std::vector<VirtualDevice> made) {
  for (VirtualDevice& device : made) {
    if (const int result = keeper_.give(device.descriptor(), device.key().form); result < 0)
      return Diagnostic{"no-keeper", Severity::error,
                        fmt::format("the process that owns the virtual controllers rejected \"{}\": {}", device.name(),
                                    std::strerror(-result)),
                        "", "restart Omnipar"};
    const Form& form = form_of(device.key().form);
    outgoing_.emplace_back().report.reserve(form.keys.size() + form.movements.size() + form.axes.size() + 1);
    devices_.push_back(std::move(device));
  }
  find_devices();
  return std::nullopt;
}

std::optional<Diagnostic> Outlets::open_passed_on_keys() {
  if (std::ranges::find(devices_, passed_on_keys, &VirtualDevice::key) != devices_.end()) return std::nullopt;
  std::vector<VirtualDevice> made;
  if (auto failure = make({passed_on_keys}, made)) return failure;
  return keep(std::move(made));
}

void Outlets::pass_on(Code code, bool down) {
  const auto device = std::ranges::find(devices_, passed_on_keys, &VirtualDevice::key);
  if (device == devices_.end()) return;
  const std::array report{event_of(code, down ? 1 : 0), end_of_report()};
  if (!device->write(report)) ++refused_;
}

void Outlets::route_port(const PortInfo& port) {
  const Plan& plan = engine_.plan();
  const auto index_of = [&](std::string_view name) -> std::optional<std::uint16_t> {
    const auto target = plan.target(port.number, name);
    if (!target) return std::nullopt;
    return static_cast<std::uint16_t>(port.first_target + target->value);
  };
  const std::span<Route> routes = std::span{routes_}.subspan(port.first_target, port.target_count);
  for (std::uint16_t t = 0; t < port.target_count; ++t) {
    Route& route = routes[t];
    route.port = port.number;
    route.target = static_cast<std::uint16_t>(port.first_target + t);
    const TargetInfo& info = plan.targets()[route.target];
    route.to = port.number == 0 ? std::nullopt : device_code_of(info);
    if (is_gun(info)) route_gun(port, route);
    if (!route.to) continue;
    for (Route& other : routes.first(t)) {
      if (other.to != route.to) continue;
      other.shared = true;
      route.shared = true;
    }
    if (route.to->code.type != ev_abs) continue;
    route.range = form_of(route.to->form).axis(route.to->code)->range;
    if (info.kind == TargetKind::coordinate) {  // 0..1 is the whole range, or the part that the game covers
      route.range.rest = route.range.minimum;
      route.from = info.span_from;
      route.to_end = info.span_to;
    }
    if (info.kind != TargetKind::button) continue;
    route.negative = info.name == "up" || info.name == "left";
    if (info.name == "up") route.opposite = index_of("down");
    if (info.name == "down") route.opposite = index_of("up");
    if (info.name == "left") route.opposite = index_of("right");
    if (info.name == "right") route.opposite = index_of("left");
  }
}

/// The axes of a gun, and whether it is on the game's picture.
void Outlets::route_gun(const PortInfo& port, Route& route) {
  const Plan& plan = engine_.plan();
  const std::string name{plan.targets()[route.target].name};
  const std::string stem = name.substr(0, name.rfind('-'));
  const auto x = plan.target(port.number, stem + "-x"), y = plan.target(port.number, stem + "-y"),
             sight = plan.target(port.number, stem + "-on");
  if (!x || !y || !sight) return;
  const auto index = [&port](TargetIndex target) {
    return static_cast<std::uint16_t>(port.first_target + target.value);
  };
  route.gun = Route::Gun{index(*x), index(*y), index(*sight)};
}

void Outlets::find_devices() noexcept {
  for (Route& route : routes_) {
    if (!route.to && !route.gun) continue;
    const FormKind form = route.to ? route.to->form : FormKind::pointer;
    const auto at = std::ranges::find(devices_, DeviceKey{route.port, form}, &VirtualDevice::key);
    if (at == devices_.end()) continue;
    route.device = static_cast<std::size_t>(at - devices_.begin());
    route.comes = route.gun ? Comes::as_gun : Comes::out;
  }
}

std::int32_t Outlets::value_of(const Route& route) const {
  const Code code = route.to->code;
  if (code.type == ev_key) return is_down(route.target) ? 1 : 0;
  if (code.type == ev_rel) return reader_.native({route.target});
  if (!route.opposite)
    return shape::native(route.range, route.from + (route.to_end - route.from) * reader_.value({route.target}));
  const int here = is_down(route.target) ? 1 : 0;
  const int there = is_down(*route.opposite) ? 1 : 0;
  return route.negative ? there - here : here - there;
}

bool Outlets::says_off_screen(DeviceKey device) const noexcept {
  return std::ranges::any_of(routes_, [device](const Route& route) {
    return route.gun && route.port == device.port && device.form == FormKind::pointer;
  });
}

/// While frozen, the pointer keeps its position.
bool Outlets::is_off_screen(const Route::Gun& gun) const { return !engine_.frozen() && !is_down(gun.sight); }

/// The position of a gun's axis. Off-screen it is at the nearest edge; aimed positions are between the edges.
std::int32_t Outlets::place_of(const Route& route) const {
  const auto at = [this](const Route& axis) {
    return shape::native(axis.range, axis.from + (axis.to_end - axis.from) * reader_.value({axis.target}));
  };
  const std::int32_t here = at(route);
  if (off_screen_ != OffScreen::edge) return here;
  const std::int32_t between = std::clamp(here, route.range.minimum + 1, route.range.maximum - 1);
  if (!is_off_screen(*route.gun)) return between;
  const Route& other = routes_[route.target == route.gun->x ? route.gun->y : route.gun->x];
  const auto to_edge = [](const NativeRange& range, std::int32_t value) {
    return std::min(value - range.minimum, range.maximum - value);
  };
  const std::int32_t its = to_edge(route.range, here), others = to_edge(other.range, at(other));
  if (its > others || (its == others && route.target == route.gun->y)) return between;
  return here - route.range.minimum <= route.range.maximum - here ? route.range.minimum : route.range.maximum;
}

/// Adds a target's value; for a gun, also everything that reports off-screen.
void Outlets::add_gun(std::vector<input_event>& report, const Route& route) const {
  const Route::Gun& gun = *route.gun;
  const bool is_off = is_off_screen(gun);
  if (route.to && !is_off) return put(report, event_of(route.to->code, place_of(route)));
  if (off_screen_ == OffScreen::button) put(report, event_of(key(BTN_MIDDLE), is_off ? 1 : 0));
  put(report, event_of(routes_[gun.x].to->code, place_of(routes_[gun.x])));
  put(report, event_of(routes_[gun.y].to->code, place_of(routes_[gun.y])));
}

/// Among the targets that share one code, the one furthest from rest.
input_event Outlets::event_of_route(const Route& route) const {
  std::int32_t value = value_of(route);
  if (!route.shared || route.to->code.type == ev_rel) return event_of(route.to->code, value);
  for (const Route& other : routes_) {
    if (other.port != route.port || other.to != route.to) continue;
    const std::int32_t its = value_of(other);
    if (std::abs(its - route.range.rest) > std::abs(value - route.range.rest)) value = its;
  }
  return event_of(route.to->code, value);
}

bool Outlets::flush(Time now) {
  bool any = false;
  for (const TargetPlace target : reader_.changed()) {
    const Route& route = routes_[target.number];
    if (route.comes == Comes::out)
      add(outgoing_[*route.device].report, event_of_route(route));
    else if (route.comes == Comes::as_gun)
      add_gun(outgoing_[*route.device].report, route);
  }
  for (std::size_t i = 0; i < devices_.size(); ++i) {
    if (outgoing_[i].report.empty() && !(outgoing_[i].behind && now >= again_at_)) continue;
    any = true;
    write(i, now);
  }
  return any;
}

/// A device that rejected a report gets its complete state, not only later changes.
void Outlets::write(std::size_t device, Time now) {
  constexpr Duration a_moment{10'000};
  auto& [report, behind] = outgoing_[device];
  if (behind)
    for (const Route& route : routes_)
      if (route.device == device && (!route.to || route.to->code.type != ev_rel))
        route.gun ? add_gun(report, route) : add(report, event_of_route(route));
  report.push_back(end_of_report());
  behind = !devices_[device].write(report);
  report.clear();
  if (!behind) return;
  ++refused_;
  again_at_ = now + a_moment;
}

std::optional<Time> Outlets::next_due() const noexcept {
  const bool behind = std::ranges::find(outgoing_, true, &Outgoing::behind) != outgoing_.end();
  return behind ? std::optional{again_at_} : std::nullopt;
}

}  // namespace omnipar::inline abi_0::outlet
