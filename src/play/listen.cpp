#include "base/earlier.hpp"
#include "play/listen.hpp"

#include <algorithm>
#include <array>
#include <csignal>
#include <set>
#include <vector>

#include <fmt/format.h>

#include "host/look.hpp"
#include "host/raw.hpp"
#include "omnipar/identity.hpp"
#include "play/device_monitor.hpp"
#include "play/words.hpp"

namespace omnipar::inline abi_0::play {
namespace {

class Listening {
 public:
  Listening(os::Door& door, const ListenOptions& options, ReportListener& listener)
      : door_(door),
        options_(options),
        listener_(listener),
        monitor_(door, *options.catalogue, options.with_virtual),
        nodes_(monitor_.nodes()),
        began_(door.now()) {
    nodes_.grab_all(options.grab);
    if (options.say) nodes_.say_to(options.say);
    if (options.grab) nodes_.claim_units();
    if (options.event_nodes_only) nodes_.read_event_nodes_only();
  }

  std::optional<Diagnostic> run() {
    constexpr std::array ends{SIGINT, SIGTERM, SIGHUP};
    if (auto failure = monitor_.begin(ends)) return failure;
    for (const host::NodePath& where : monitor_.watch().present()) open(where);
    listener_.ready();
    const std::optional<Time> end = options_.longest ? std::optional{began_ + *options_.longest} : std::nullopt;
    while (!failure_ && !listener_.done() && (!end || door_.now() < *end)) {
      ready_raws_.clear();
      if (!monitor_.wait(next_due(end), [this](Ready ready) { ready_raws_.push_back(static_cast<int>(ready.which)); }))
        return Waiter::failure();
      deliver(nodes_.drain(door_.now()));
      for (const int raw : ready_raws_) deliver_raw(raw);
      while (const auto event = monitor_.next_node_event()) deliver(*event);
      look_who_has_them();
      listener_.waited(since_start(door_.now()));
      if (!monitor_.next_signal()) continue;
      listener_.broken_off();
      break;
    }
    if (options_.grab)
      monitor_.give_back(
          [this] {
            if (options_.say) options_.say(await_release_words);
          },
          [](Ready) {}, [](int) {});
    return failure_;
  }

 private:
  [[nodiscard]] std::optional<Time> next_due(std::optional<Time> end) const {
    const auto due = earlier(earlier(end, nodes_.next_due()), look_again_);
    const auto wanted = listener_.next_due();
    return wanted ? earlier(due, began_ + wanted->time_since_epoch()) : due;
  }

  /// Ensures that times never decrease, because stamps of different nodes may.
  Time since_start(Time time) {
    last_ = std::max(last_, Time{time - began_});
    return last_;
  }

  void arrive(int node) {
    if (auto failure = monitor_.watch_node(node)) failure_ = failure;
    listener_.arrived(node, nodes_.description(node), since_start(door_.now()));
  }

  void open(const host::NodePath& where) {
    const auto node = nodes_.open(where);
    if (!node) return;
    arrive(*node);
    look_who_has(*node);
    const std::string folder = host::hid_folder(where.syspath);
    if (options_.raw || is_better_raw(folder, nodes_.description(*node))) open_raw(folder, nodes_.description(*node));
  }

  /// Other programs can grab units at any time without notice.
  void look_who_has_them() {
    const Time now = door_.now();
    if (look_again_ && now < *look_again_) return;
    const std::vector<int> shared = nodes_.not_grabbed();
    for (const int node : shared) look_who_has(node);
    std::erase_if(taken_, [&shared](int node) { return std::ranges::find(shared, node) == shared.end(); });
    constexpr Duration pause = std::chrono::seconds{1};
    look_again_ = shared.empty() ? std::nullopt : std::optional{now + pause};
  }

  void look_who_has(int node) {
    const bool is_taken = nodes_.is_grabbed_by_another(node);
    if (is_taken && taken_.insert(node).second) {
      listener_.taken_away(node, since_start(door_.now()));
      tell_who_has_it(node);
    } else if (!is_taken && nodes_.down(node).empty() && taken_.erase(node) > 0) {
      nodes_.resync(node);
      listener_.given_back(node);
    }
  }

  void tell_who_has_it(int node) {
    if (!options_.say) return;
    const host::Openers openers = nodes_.openers(node);
    options_.say(fmt::format("\"{}\" is grabbed by {}: {}.", printable(nodes_.description(node).name),
                             openers.names.empty() ? "another program" : openers.names,
                             options_.raw ? "only its raw reports arrive" : "no input from it arrives"));
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
    if (!node) return listener_.cannot_hear_raw(sibling, error);
    const int number = nodes_.next_number();
    const Ready says_something{Waited::raw, static_cast<std::size_t>(number)};
    if (auto failure = monitor_.waiter().also(node->descriptor(), says_something)) failure_ = failure;
    listener_.arrived(number, node->description(), since_start(door_.now()));
    raws_.push_back({number, folder, std::move(node)});
  }

  /// They have no time stamps: the time is that of reading.
  void deliver_raw(int number) {
    const auto at = std::ranges::find(raws_, number, &OpenRaw::number);
    if (at == raws_.end()) return;
    const Time now = since_start(door_.now());
    auto bytes = at->node->next();
    for (; bytes && !bytes->empty(); bytes = at->node->next()) listener_.on_raw_report(number, now, *bytes);
    if (bytes) return;
    raws_.erase(at);
    listener_.left(number, now);
  }

  void deliver(const host::Nodes::Batch& batch) {
    for (std::size_t i = 0; i < batch.said.size(); ++i)
      listener_.on_report(batch.said.node(i),
                          {since_start(batch.said[i].time), batch.said[i].changes, batch.said[i].sockets});
    for (const int node : batch.gone) listener_.left(node, since_start(door_.now()));
    for (const int node : batch.come) arrive(node);
  }

  void deliver(const host::NodeEvent& event) {
    if (event.came)
      open(event.where);
    else if (const auto node = nodes_.close(event.where.path))
      listener_.left(*node, since_start(door_.now()));
  }

  struct OpenRaw {
    int number = 0;
    std::string folder;
    std::unique_ptr<host::RawNode> node;
  };

  os::Door& door_;
  const ListenOptions& options_;
  ReportListener& listener_;
  DeviceMonitor monitor_;
  host::Nodes& nodes_;
  std::vector<OpenRaw> raws_;
  std::vector<int> ready_raws_;
  std::set<int> taken_;  ///< nodes held by another program
  std::optional<Time> look_again_;
  std::optional<Diagnostic> failure_;
  Time began_;
  Time last_;
};

}  // namespace

std::optional<Diagnostic> listen(os::Door& door, const ListenOptions& options, ReportListener& listener) {
  return Listening{door, options, listener}.run();
}

}  // namespace omnipar::inline abi_0::play
