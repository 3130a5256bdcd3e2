#include "play/listen.hpp"

#include <algorithm>
#include <vector>

#include <fmt/format.h>

#include "host/look.hpp"
#include "host/nodes.hpp"
#include "host/raw.hpp"
#include "omnipar/identity.hpp"

namespace omnipar::play {
namespace {

class Listening {
 public:
  Listening(os::Door& door, const ListenOptions& options, Ears& ears)
      : door_(door),
        options_(options),
        ears_(ears),
        nodes_(door, *options.catalogue, options.with_virtual),
        began_(door.now()) {
    nodes_.grab_all(options.grab);
    if (options.say) nodes_.say_to(options.say);
    if (options.grab) nodes_.take_alone();
    if (options.event_nodes_only) nodes_.read_event_nodes_only();
  }

  std::optional<Diagnostic> run() {
    const os::Descriptor signals{door_, door_.catch_signals({SIGINT, SIGTERM, SIGHUP})};
    if (!signals) return Diagnostic{"no-signals", Severity::error, "signals cannot be watched", "", "try again"};
    const auto watch = host::open_watch();
    if (!watch || watch->descriptor() < 0)
      return Diagnostic{"no-udev", Severity::error, "units that come and go cannot be watched", "",
                        "'omnipar doctor' looks for the cause"};
    for (const host::NodePlace& place : watch->present()) open(place);
    ears_.ready();
    const std::optional<Time> end = options_.longest ? std::optional{began_ + *options_.longest} : std::nullopt;
    while (!ears_.done() && (!end || door_.now() < *end)) {
      polled_.assign({{signals.get(), POLLIN, 0}, {watch->descriptor(), POLLIN, 0}});
      nodes_.add_to(polled_);
      const std::size_t raw_from = polled_.size();
      for (const OpenRaw& raw : raws_) polled_.push_back({raw.node->descriptor(), POLLIN, 0});
      auto due = earlier(end, nodes_.next_due());
      if (const auto wanted = ears_.next_due()) due = earlier(due, began_ + wanted->time_since_epoch());
      if (door_.wait(polled_, due ? &*due : nullptr) < 0)
        return Diagnostic{"cannot-wait", Severity::error, "waiting for input failed", "", "try again"};
      nodes_.mark_ready(std::span{polled_}.subspan(2, raw_from - 2));
      take(nodes_.drain(door_.now()));
      take_raw(std::span{polled_}.subspan(raw_from));
      while (const auto news = watch->next()) take(*news);
      ears_.waited(since_start(door_.now()));
      if (polled_[0].revents == 0) continue;
      ears_.broken_off();
      break;
    }
    if (options_.grab) wait_until_all_is_up(signals);
    return std::nullopt;
  }

 private:
  static std::optional<Time> earlier(std::optional<Time> a, std::optional<Time> b) {
    if (!a || !b) return a ? a : b;
    return std::min(*a, *b);
  }

  /// Others would never see what is down now go up; so it is given back when nothing is down, but not for ever.
  void wait_until_all_is_up(const os::Descriptor& signals) {
    constexpr Duration patience = std::chrono::seconds{5};
    const Time until = door_.now() + patience;
    while (nodes_.anything_down() && door_.now() < until) {
      polled_.assign({{signals.get(), POLLIN, 0}});
      nodes_.add_to(polled_);
      if (door_.wait(polled_, &until) < 0 || polled_[0].revents != 0) return;
      nodes_.mark_ready(std::span{polled_}.subspan(1));
      static_cast<void>(nodes_.drain(door_.now()));
    }
  }

  /// Times never go back, for stamps of different nodes may.
  Time since_start(Time time) {
    last_ = std::max(last_, Time{time - began_});
    return last_;
  }

  void open(const host::NodePlace& place) {
    const auto node = nodes_.open(place);
    if (!node) return;
    ears_.arrived(*node, nodes_.description(*node), since_start(door_.now()));
    tell_who_holds(place, *node);
    const std::string folder = host::hid_folder(place.syspath);
    if (options_.raw || is_better_raw(folder, nodes_.description(*node))) open_raw(folder, nodes_.description(*node));
  }

  void tell_who_holds(const host::NodePlace& place, int node) {
    if (!options_.say || !nodes_.is_grabbed_by_another(node)) return;
    const host::Holders holders = host::holders_of(door_, place.path);
    options_.say(fmt::format("\"{}\" is grabbed by {}: no input from it arrives here.",
                             printable(nodes_.description(node).name),
                             holders.names.empty() ? "another program" : holders.names));
  }

  bool is_better_raw(const std::string& folder, const Description& node) {
    return options_.raw_where_better &&
           !reason_for_raw(*options_.catalogue, node, host::report_descriptor_of(door_, folder)).empty();
  }

  /// A HID device has one raw node, however many event nodes it has.
  void open_raw(const std::string& folder, const Description& sibling) {
    const std::string path = host::raw_node_of(door_, folder);
    if (path.empty() || std::ranges::find(raws_, folder, &OpenRaw::folder) != raws_.end()) return;
    int error = 0;
    auto node = host::RawNode::open(door_, path, sibling, error);
    if (!node) return ears_.cannot_hear_raw(sibling, error);
    const int number = nodes_.next_number();
    ears_.arrived(number, node->description(), since_start(door_.now()));
    raws_.push_back({number, folder, std::move(node)});
  }

  /// They have no stamps: the time is that of the reading.
  void take_raw(std::span<const pollfd> polled) {
    std::vector<int> gone;
    for (std::size_t i = 0; i < polled.size(); ++i) {
      if (polled[i].revents == 0) continue;
      const Time now = since_start(door_.now());
      auto bytes = raws_[i].node->next();
      for (; bytes && !bytes->empty(); bytes = raws_[i].node->next()) ears_.heard_raw(raws_[i].number, now, *bytes);
      if (!bytes) gone.push_back(raws_[i].number);
    }
    for (const int number : gone) {
      std::erase_if(raws_, [number](const OpenRaw& raw) { return raw.number == number; });
      ears_.left(number, since_start(door_.now()));
    }
  }

  void take(const host::Nodes::News& news) {
    for (std::size_t i = 0; i < news.said.size(); ++i)
      ears_.heard(news.said.node(i), {since_start(news.said[i].time), news.said[i].changes});
    for (const int node : news.gone) ears_.left(node, since_start(door_.now()));
    for (const int node : news.come) ears_.arrived(node, nodes_.description(node), since_start(door_.now()));
  }

  void take(const host::NodeNews& news) {
    if (news.came)
      open(news.place);
    else if (const auto node = nodes_.close(news.place.path))
      ears_.left(*node, since_start(door_.now()));
  }

  struct OpenRaw {
    int number = 0;
    std::string folder;
    std::unique_ptr<host::RawNode> node;
  };

  os::Door& door_;
  const ListenOptions& options_;
  Ears& ears_;
  host::Nodes nodes_;
  std::vector<OpenRaw> raws_;
  Time began_;
  Time last_;
  std::vector<pollfd> polled_;
};

}  // namespace

std::optional<Diagnostic> listen(os::Door& door, const ListenOptions& options, Ears& ears) {
  return Listening{door, options, ears}.run();
}

}  // namespace omnipar::play
