#include "outlet/pads.hpp"

#include <algorithm>
#include <cstring>

#include <fmt/format.h>

#include "shape/shape.hpp"

namespace omnipar::outlet {

Pads::Pads(os::Door& door, const Engine& engine)
    : door_(door), engine_(engine), reader_(engine, shortest_press(engine.plan())), keeper_(door) {
  rewire();
}

void Pads::rewire() {
  wires_.assign(engine_.plan().targets().size(), {});
  for (const PortInfo& port : engine_.plan().ports()) wire_port(port);
}

void Pads::wire_port(const PortInfo& port) {
  const Plan& plan = engine_.plan();
  const auto index_of = [&](std::string_view name) { return plan.target(port.number, name); };
  for (std::uint16_t t = 0; t < port.target_count; ++t) {
    const TargetInfo& info = plan.targets()[std::size_t{port.first_target} + t];
    Wire& wire = wires_[std::size_t{port.first_target} + t];
    wire.port = port.number;
    wire.target = {t};
    wire.code = port.number == 0 ? std::nullopt : pad_code(info.place, info.name);
    if (!wire.code || wire.code->type != ev_abs) continue;
    wire.range = std::ranges::find(pad_axes(), *wire.code, &PadAxis::code)->range;
    if (info.kind != TargetKind::button) continue;
    wire.negative = info.name == "up" || info.name == "left";
    if (info.name == "up") wire.opposite = index_of("down");
    if (info.name == "down") wire.opposite = index_of("up");
    if (info.name == "left") wire.opposite = index_of("right");
    if (info.name == "right") wire.opposite = index_of("left");
  }
}

std::optional<Diagnostic> Pads::start() {
  const int result = keeper_.start();
  if (result == 0) return std::nullopt;
  return Diagnostic{"no-keeper", Severity::error,
                    fmt::format("the keeper of the virtual controllers cannot be started: {}", std::strerror(-result)),
                    "", "close other programs and try again"};
}

VirtualPad* Pads::pad_of(int port) noexcept {
  const auto at = std::ranges::find_if(pads_, [port](const VirtualPad& pad) { return pad.port() == port; });
  return at == pads_.end() ? nullptr : &*at;
}

tl::expected<const VirtualPad*, Diagnostic> Pads::open(int port) {
  if (const VirtualPad* there = pad_of(port)) return there;
  auto pad = VirtualPad::make(door_, port);
  if (!pad) return tl::unexpected(pad.error());
  const int result = keeper_.give(pad->descriptor());
  if (result < 0)
    return tl::unexpected(
        Diagnostic{"no-keeper", Severity::error,
                   fmt::format("the keeper does not take the virtual pad of port {}: {}", port, std::strerror(-result)),
                   "", "start again"});
  pads_.push_back(std::move(*pad));
  reports_.resize(pads_.size());
  return &pads_.back();
}

input_event Pads::event_of(const Wire& wire) const {
  const PortSample sample = reader_.port(wire.port);
  input_event event{};
  event.type = wire.code->type;
  event.code = wire.code->number;
  if (event.type == EV_KEY) {
    event.value = sample.pressed(wire.target) ? 1 : 0;
  } else if (wire.opposite) {
    const int here = sample.pressed(wire.target) ? 1 : 0;
    const int there = sample.pressed(*wire.opposite) ? 1 : 0;
    event.value = wire.negative ? there - here : here - there;
  } else {
    event.value = shape::native(wire.range, sample.value(wire.target));
  }
  return event;
}

void Pads::flush(Time now) {
  reader_.catch_up(now);
  for (const std::uint16_t target : reader_.changed()) {
    const Wire& wire = wires_[target];
    const VirtualPad* pad = wire.code ? pad_of(wire.port) : nullptr;
    if (pad != nullptr) reports_[static_cast<std::size_t>(pad - pads_.data())].push_back(event_of(wire));
  }
  for (std::size_t i = 0; i < pads_.size(); ++i) {
    std::vector<input_event>& report = reports_[i];
    if (report.empty()) continue;
    input_event end{};
    end.type = EV_SYN;
    end.code = SYN_REPORT;
    report.push_back(end);
    if (!pads_[i].write(report)) ++refused_;
    report.clear();
  }
}

bool Pads::fired(std::string_view action) const {
  const auto target = engine_.plan().target(0, action);
  if (!target || !reader_.port(0).pressed(*target)) return false;
  const std::size_t index = std::size_t{engine_.plan().port(0)->first_target} + target->value;
  return std::ranges::find(reader_.changed(), index) != reader_.changed().end();
}

}  // namespace omnipar::outlet
