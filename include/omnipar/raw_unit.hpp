// A unit that is read from its raw reports: what its controls do, and what is plugged into its sockets.
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

/// A part of a unit is plugged in, as far as its reports tell, while
///   any of its axes that may have no value has one,
///   the control that its sheet names says so,
///   reports of its own keep coming, where the sheet says that the unit always sends.
/// What none of it tells of counts as plugged in. One thread at a time; does not allocate once it is made.
class RawUnit {
 public:
  /// `node` is a raw node (`describe_raw`), opened at that time.
  RawUnit(const Catalogue& catalogue, const Description& node, Time opened);

  /// How its buttons stand as far as an event node of the same HID device knows, before any report has come: what is
  /// down there counts from its next press. Allocates; part of the making.
  void begin_as(const Description& event_node);

  /// What a report tells, valid until the next call.
  struct News {
    std::span<const Change> changes;
    std::span<const SocketChange> sockets;
    [[nodiscard]] bool empty() const noexcept { return changes.empty() && sockets.empty(); }
  };

  /// What a report changes, as one commit. A socket that is found empty or that a plug is taken out of tells nothing
  /// more until something is in it again; then all that is known of it is among the changes, which is how it stands,
  /// not input. Buttons that are down within a tenth of a second from the opening were down before: they are not told.
  [[nodiscard]] News take(std::span<const std::uint8_t> report, Time now) noexcept;

  /// Reports may have been lost up to now: what does not come again within a moment is released, for how it stands is
  /// not known any more.
  void may_have_lost(Time now) noexcept;

  /// Lets time pass: parts that always send and have fallen silent, and what is released behind a loss.
  [[nodiscard]] News advance(Time now) noexcept;
  /// When `advance` has something to tell although nothing comes.
  [[nodiscard]] std::optional<Time> next_due() const noexcept;

 private:
  /// A part that can be seen to be plugged in or not.
  struct Socket {
    std::uint16_t part = 0;
    std::vector<std::size_t> controls;      ///< of this part alone
    std::vector<std::size_t> may_be_empty;  ///< those of them that may have no value
    std::optional<std::size_t> sign;        ///< the control that tells,
    std::uint32_t sign_bits = 0;            ///< by these of its bits,
    std::uint32_t sign_empty = 0;           ///< that have this value when there is nothing
    std::bitset<256> reports;               ///< that are its own and keep coming; none: it may be silent
    Time last_heard{};
    std::optional<bool> plugged;  ///< not known before the first report
    bool was_put_in = false;      ///< a plug, by what came last
  };

  void find_sockets(const Catalogue& catalogue, const Description& node);
  void find_rests(const Catalogue& catalogue, const Description& node);
  void add_socket(std::uint16_t part, Socket socket);
  [[nodiscard]] std::bitset<256> reports_of(const std::vector<std::size_t>& controls) const;
  [[nodiscard]] std::optional<bool> is_plugged(const Socket& socket, Time now) const noexcept;
  void look_into_sockets(Time now) noexcept;
  void let_go_unsure() noexcept;
  [[nodiscard]] bool is_button(std::size_t control) const noexcept;
  [[nodiscard]] bool is_told_of(const Change& change, bool as_found) const noexcept;

  hid::Descriptor descriptor_;
  std::vector<hid::Control> controls_;
  std::vector<Socket> sockets_;
  std::vector<int> socket_of_;  ///< by control: place in the sockets, or -1
  std::vector<std::optional<std::int32_t>>
      rests_;                         ///< by control: where it goes when it is released; nothing: it stays
  std::optional<Time> unsure_until_;  ///< reports may have been lost
  std::bitset<256> sure_;             ///< that have come since then
  hid::Decoder decoder_;
  Time opened_;
  std::vector<Change> told_;
  std::vector<SocketChange> told_sockets_;
};

}  // namespace omnipar::inline abi_0
