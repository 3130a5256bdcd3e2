// Reports in memory that is reused from one read to the next.
#pragma once

#include <cstddef>
#include <span>
#include <utility>
#include <vector>

#include "omnipar/report.hpp"

namespace omnipar::inline abi_0::host {

class Reports {
 public:
  void clear() noexcept {
    entries_.clear();
    changes_.clear();
    sockets_.clear();
  }
  /// Reports added from now on come from the node with this number.
  void from(int node) noexcept { node_ = node; }

  /// Sorts by time; equal times keep the order in which they were added.
  void add(Time time, std::span<const Change> changes, std::span<const SocketChange> sockets = {}) {
    const Entry entry{node_, time, changes_.size(), changes.size(), sockets_.size(), sockets.size()};
    std::size_t at = entries_.size();
    while (at > 0 && entries_[at - 1].time > time) --at;
    if (at == entries_.size())
      entries_.push_back(entry);
    else
      entries_.insert(entries_.begin() + static_cast<std::ptrdiff_t>(at), entry);
    for (const Change& change : changes) changes_.push_back(change);  // mostly one: a block copy would cost more
    for (const SocketChange& socket : sockets) sockets_.push_back(socket);
  }

  [[nodiscard]] std::size_t size() const noexcept { return entries_.size(); }
  [[nodiscard]] int node(std::size_t i) const noexcept { return entries_[i].node; }
  /// Valid until the next `add` or `clear`.
  [[nodiscard]] Report operator[](std::size_t i) const noexcept {
    const Entry& entry = entries_[i];
    return {entry.time, std::span{changes_}.subspan(entry.first, entry.count),
            std::span{sockets_}.subspan(entry.first_socket, entry.sockets)};
  }

 private:
  struct Entry {
    int node = 0;
    Time time;
    std::size_t first = 0;
    std::size_t count = 0;
    std::size_t first_socket = 0;
    std::size_t sockets = 0;
  };
  int node_ = 0;
  std::vector<Entry> entries_;
  std::vector<Change> changes_;
  std::vector<SocketChange> sockets_;
};

}  // namespace omnipar::inline abi_0::host
