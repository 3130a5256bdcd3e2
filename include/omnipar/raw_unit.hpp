// A unit that is read through its raw reports: the changes of its controls, and of its sockets.
#pragma once

#include <bitset>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include "omnipar/catalogue.hpp"
#include "omnipar/description.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/report.hpp"
#include "omnipar/time.hpp"

namespace omnipar::inline abi_0 {

/// A unit with parts that can be plugged in. A part counts as plugged in while
///
///   - an axis of it that can report a null state has a value, or
///   - the control named in its sheet shows it, or
///   - its own reports keep arriving, if its sheet has `streams`.
///
/// Parts without any of these always count as plugged in. Must be used from one thread. Does not allocate after
/// construction.
class RawUnit {
 public:
  /// Creates a unit for a raw node (see `describe_raw`) that was opened at `opened`.
  RawUnit(const Catalogue& catalogue, const Description& node, Time opened);

  /// Sets the initial state of the buttons from an event node of the same HID device. Pressed buttons count from their
  /// next press. Call it before the first report. Allocates.
  void begin_as(const Description& event_node);

  /// The result of a report. Valid until the next call.
  struct Update {
    std::span<const Change> changes;
    std::span<const SocketChange> sockets;
    [[nodiscard]] bool empty() const noexcept { return changes.empty() && sockets.empty(); }
  };

  /// Processes a report and returns its changes. After a socket becomes empty, its controls are ignored until something
  /// is plugged in again; then their complete state is among the changes, which is not input. Buttons that are pressed
  /// within a tenth of a second after opening were pressed before and are not returned.
  [[nodiscard]] Update feed(std::span<const std::uint8_t> report, Time now) noexcept;

  /// Reports may have been lost: controls that are not reported again within a moment are released.
  void may_have_lost(Time now) noexcept;

  /// Advances the time, and returns changes caused by silence: parts that stopped sending, and releases after lost
  /// reports.
  [[nodiscard]] Update advance(Time now) noexcept;
  /// Returns when `advance` has work to do, or nothing.
  [[nodiscard]] std::optional<Time> next_due() const noexcept;

 private:
  /// A part whose socket can be observed.
  struct Socket {
    std::uint16_t part = 0;
    std::vector<std::size_t> controls;      ///< of this part only
    std::vector<std::size_t> may_be_empty;  ///< those that can report a null state
    std::optional<std::size_t> sign;        ///< the control that shows it,
    std::uint32_t sign_bits = 0;            ///< by these of its bits,
    std::uint32_t sign_empty = 0;           ///< that have this value when there is nothing
    std::bitset<256> reports;               ///< its own reports that keep arriving; none: it may be silent
    Time last_heard{};
    std::optional<bool> plugged;  ///< unknown before the first report
    bool was_put_in = false;      ///< by the last report
  };

  void find_sockets(const Catalogue& catalogue, const Description& node);
  void find_rests(const Catalogue& catalogue, const Description& node);
  void add_socket(std::uint16_t part, Socket socket);
  [[nodiscard]] std::bitset<256> reports_of(const std::vector<std::size_t>& controls) const;
  [[nodiscard]] std::optional<bool> is_plugged(const Socket& socket, Time now) const noexcept;
  void look_into_sockets(Time now) noexcept;
  void let_go_unsure() noexcept;
  [[nodiscard]] bool is_button(std::size_t control) const noexcept;
  [[nodiscard]] bool is_reported(const Change& change, bool as_found) const noexcept;

  hid::Descriptor descriptor_;
  std::vector<hid::ReportControl> controls_;
  std::vector<Socket> sockets_;
  std::vector<int> socket_of_;  ///< by control: index of the socket, or -1
  std::vector<std::optional<std::int32_t>>
      rests_;                         ///< by control: its value when released; nothing: it keeps its value
  std::optional<Time> unsure_until_;  ///< reports may have been lost
  std::bitset<256> sure_;             ///< reports received since then
  hid::Decoder decoder_;
  Time opened_;
  std::vector<Change> changes_;
  std::vector<SocketChange> socket_changes_;
};

}  // namespace omnipar::inline abi_0
