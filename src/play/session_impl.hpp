// The common part of sessions: engine, seats, hotkeys and events.
#pragma once

#include <deque>
#include <optional>
#include <string>
#include <vector>

#include "omnipar/reader.hpp"
#include "omnipar/session.hpp"
#include "os/door.hpp"
#include "play/table.hpp"

namespace omnipar::inline abi_0 {

/// The calls of Session.
class Session::Impl {
 public:
  Impl(const Plan& plan, SessionOptions options);
  virtual ~Impl() = default;
  Impl(const Impl&) = delete;
  Impl& operator=(const Impl&) = delete;

  [[nodiscard]] static Session session(std::unique_ptr<Impl> impl) { return Session{std::move(impl)}; }

  virtual int descriptor() = 0;
  virtual bool wait(Time until) = 0;
  virtual void process() = 0;
  [[nodiscard]] virtual std::optional<Time> next_due() const = 0;
  [[nodiscard]] virtual Time now() const = 0;
  virtual void rumble(int port, double strong, double weak, Duration how_long) = 0;
  virtual void pulse(int port, int times) = 0;
  /// Without `which`: the port's number.
  virtual void light(int port, std::optional<std::uint32_t> which) = 0;
  virtual void grab_only(const std::vector<int>& nodes) { static_cast<void>(nodes); }
  virtual bool also_wait_for(int other) = 0;
  [[nodiscard]] virtual bool is_ready(int other) const noexcept = 0;
  [[nodiscard]] virtual bool waits_for_release() const = 0;
  [[nodiscard]] virtual std::vector<NodeHere> nodes() const = 0;
  [[nodiscard]] virtual std::vector<VirtualDeviceHere> virtual_devices() const = 0;
  [[nodiscard]] virtual int helper() const noexcept = 0;
  [[nodiscard]] virtual SessionStats stats() const = 0;
  [[nodiscard]] virtual bool over() const noexcept { return ended_; }
  virtual void end() = 0;
  virtual void close() = 0;

  [[nodiscard]] const Engine& engine() const noexcept { return engine_; }
  [[nodiscard]] const Profile& profile() const noexcept { return options_.profile; }
  [[nodiscard]] play::Table& table() noexcept { return table_; }
  [[nodiscard]] std::optional<SessionEvent> next_event();
  [[nodiscard]] const std::optional<Diagnostic>& failure() const noexcept { return failure_; }
  void freeze();
  void thaw();
  void swap_ports();
  [[nodiscard]] std::optional<Diagnostic> reseat(int unit, const std::string& seat);
  [[nodiscard]] std::optional<Diagnostic> leave_seat(int unit);
  bool restore(std::span<const std::byte> saved);

 protected:
  void tell(const SessionEvent& event);
  void feed(int node, const Report& report) {
    if (options_.on_report) options_.on_report(node, report);
    table_.report(node, report);
  }
  void fail(Diagnostic why);
  /// Lets the reader show what it can at `now`, and records the hotkeys that have fired.
  void catch_up(Time now) noexcept;
  /// Performs the actions of hotkeys, which are never frozen.
  void act();
  [[nodiscard]] std::optional<Time> due() const;

  /// Writes what can be shown now.
  virtual void show() = 0;
  /// Frozen or thawed; seats must be evaluated again.
  virtual void turned() = 0;
  /// The engine has a new plan.
  virtual void adopted() = 0;
  /// The state changed between two calls of `process`: wakes a waiting caller in time.
  virtual void settle() = 0;

  SessionOptions options_;
  Engine engine_;
  PacedReader reader_;
  play::Table table_;
  bool seats_have_changed_ = false;
  bool ended_ = false;  ///< input is ignored

 private:
  void hear_hotkeys();
  void let_holders_leave();

  std::deque<SessionEvent> events_;
  std::vector<std::uint16_t> fired_;  ///< targets of port 0
  std::uint16_t first_hotkey_ = 0;
  std::uint16_t hotkeys_ = 0;
  std::optional<Diagnostic> failure_;
};

}  // namespace omnipar::inline abi_0

namespace omnipar::inline abi_0::play {

/// `Session::open` through this door, which must outlive the session.
[[nodiscard]] tl::expected<Session, Diagnostics> open_session(os::Door& door, SessionOptions options);

}  // namespace omnipar::inline abi_0::play
