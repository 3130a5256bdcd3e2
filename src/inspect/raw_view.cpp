#include "inspect/raw_view.hpp"

#include <algorithm>
#include <map>

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <nlohmann/json.hpp>

#include "base/code_names.hpp"
#include "base/list.hpp"
#include "inspect/descriptor_words.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/identity.hpp"

namespace omnipar::inline abi_0::inspect {
namespace {

using Lines = std::vector<std::string>;

std::string_view fate_word(hid::Fate fate) {
  return fate == hid::Fate::kept ? "kept" : fate == hid::Fate::shared ? "shared" : "lost";
}

class RawView {
 public:
  RawView(const Catalogue& catalogue, const Description& node, hid::Descriptor descriptor, const LastReports& last)
      : catalogue_(catalogue),
        node_(node),
        descriptor_(std::move(descriptor)),
        controls_(hid::controls_of(descriptor_)),
        kernel_(hid::kernel_codes(descriptor_, controls_)),
        meanings_(controls_.size()),
        last_(last),
        decoder_(descriptor_, hid::opaque_of(controls_)) {
    for (const auto& [id, report] : last) (void)decoder_.decode(report);
    const auto parts = unit_parts(catalogue, node);
    for (const std::string& part : parts) add_meanings(part);
    const auto its = part_controls(catalogue, node);
    for (std::size_t part = 0; part < its.size(); ++part)
      for (const std::size_t c : its[part]) meanings_.at(c).part = parts.at(part);
  }

  Lines lines() const {
    Lines lines{fmt::format("\"{}\", {}", printable(node_.name), node_.node),
                fmt::format("  its report descriptor, {} bytes:", node_.descriptor.size())};
    for (std::string& line : descriptor_lines(descriptor_)) lines.push_back("    " + std::move(line));
    add_controls(lines);
    add_reports(lines);
    return lines;
  }

  std::string json() const {
    nlohmann::ordered_json all{{"name", node_.name}, {"node", node_.node}, {"descriptor", node_.descriptor.size()}};
    all["controls"] = nlohmann::ordered_json::array();
    for (std::size_t c = 0; c < controls_.size(); ++c) {
      const hid::ReportControl& control = controls_[c];
      nlohmann::ordered_json one{{"name", hid::name_of(descriptor_, control)},
                                 {"bit", first_bit(control)},
                                 {"bits", field(control).size},
                                 {"range", {control.minimum, control.maximum}},
                                 {"kernel", fate_word(kernel_[c].fate)}};
      if (kernel_[c].fate != hid::Fate::lost) one["code"] = base::code_name(kernel_[c].code);
      if (!meanings_[c].part.empty()) one["part"] = meanings_[c].part;
      if (!meanings_[c].role.empty()) one["role"] = meanings_[c].role;
      if (has_value(control)) one["value"] = decoder_.value(c);
      all["controls"].push_back(std::move(one));
    }
    return all.dump();
  }

 private:
  const hid::Field& field(const hid::ReportControl& control) const { return descriptor_.fields[control.field]; }
  bool has_value(const hid::ReportControl& control) const { return last_.contains(field(control).report); }

  /// The offset of a control in a report, after its id. An array's keys begin at the offset of the array.
  std::uint32_t first_bit(const hid::ReportControl& control) const {
    const hid::Field& f = field(control);
    return f.bit + (control.kind == hid::Kind::key ? 0 : control.element * f.size);
  }

  /// The kind of a control, and its part.
  struct Meaning {
    std::string part;
    std::string role;
  };

  void add_meanings(const std::string& part) {
    for (const Control& control : attach_node(catalogue_, node_, node_, part).controls) {
      Meaning& meaning = meanings_.at(control.code.number);
      meaning.part += (meaning.part.empty() ? "" : ", ") + part;
      meaning.role = control.role;
    }
  }

  // -- controls -------------------------------------------------------------------------------------------

  void add_controls(Lines& lines) const {
    if (controls_.empty()) {
      lines.emplace_back("  It names no controls: the format of its reports is vendor-specific.");
      return;
    }
    lines.push_back(
        fmt::format("  {:<20} {:<12} {:<24} {:<10} {:<16} {}", "control", "range", "kernel", "part", "role", "now"));
    std::size_t keys = 0;
    for (std::size_t c = 0; c < controls_.size(); ++c) {
      const hid::ReportControl& control = controls_[c];
      const bool quiet_key = control.kind == hid::Kind::key && decoder_.value(c) == 0;
      if (quiet_key && ++keys > 0) continue;
      lines.push_back(fmt::format("  {:<20} {:<12} {:<24} {:<10} {:<16} {}", hid::name_of(descriptor_, control),
                                  fmt::format("{}..{}", control.minimum, control.maximum), kernel_words(c),
                                  meanings_[c].part, meanings_[c].role, now_words(c)));
    }
    if (keys > 0) lines.push_back(fmt::format("  and {} more", quantity(keys, "key that is", "keys that are")));
    lines.push_back(loss_words());
  }

  std::string loss_words() const {
    const auto count = [this](hid::Fate fate) { return std::ranges::count(kernel_, fate, &hid::KernelCode::fate); };
    const auto lost = count(hid::Fate::lost);
    const auto shared = count(hid::Fate::shared);
    if (lost + shared == 0) return "  The kernel's event nodes report all of it.";
    return fmt::format("  The kernel's event nodes lose {} of {} controls{}: 'play' {}.", lost, controls_.size(),
                       shared > 0 ? fmt::format(", and mix up {}", shared) : "",
                       is_read_by_play() ? "reads the raw reports" : "needs none of those and reads the event nodes");
  }

  /// The choice that 'play' makes for event nodes that follow the kernel's own rules.
  bool is_read_by_play() const {
    std::map<int, Description> nodes;
    for (std::size_t c = 0; c < controls_.size(); ++c) {
      if (kernel_[c].fate == hid::Fate::lost) continue;
      const auto [at, is_new] = nodes.try_emplace(kernel_[c].node, node_);
      Description& node = at->second;
      if (is_new) node.codes.clear();
      if (node.find(kernel_[c].code) == nullptr)
        node.codes.push_back({kernel_[c].code, controls_[c].minimum, controls_[c].maximum, 0});
    }
    return std::ranges::any_of(nodes, [this](auto& entry) {
      Description& node = entry.second;
      node.descriptor.clear();
      return !reason_for_raw(catalogue_, node, node_.descriptor).empty();
    });
  }

  std::string kernel_words(std::size_t c) const {
    if (kernel_[c].fate == hid::Fate::lost) return "lost";
    return fmt::format("{}{}", base::code_name(kernel_[c].code),
                       kernel_[c].fate == hid::Fate::shared ? ", shared" : "");
  }

  std::string now_words(std::size_t c) const {
    if (!has_value(controls_[c])) return "no value yet";
    if (controls_[c].kind == hid::Kind::counts) return "counts";
    return decoder_.has_value(c) ? fmt::format("{}", decoder_.value(c)) : "no value";
  }

  // -- bytes ----------------------------------------------------------------------------------------------

  void add_reports(Lines& lines) const {
    if (last_.empty()) lines.emplace_back("  No report yet: move something while it listens (--listen 5).");
    for (const auto& [id, report] : last_) {
      lines.push_back(descriptor_.numbered ? fmt::format("  last report {}:", id) : "  last report:");
      for (std::size_t byte = 0; byte < report.size(); ++byte)
        lines.push_back(fmt::format("    {:>3}  {:02x}  {}", byte, report[byte], byte_words(id, byte)));
    }
  }

  /// The controls that begin in a byte, or "(continued)".
  std::string byte_words(std::uint8_t id, std::size_t byte) const {
    if (descriptor_.numbered && byte == 0) return "the report's id";
    const auto begin = static_cast<std::uint32_t>((byte - (descriptor_.numbered ? 1 : 0)) * 8);
    std::vector<std::string> words;
    bool is_continued = false;
    for (std::size_t c = 0; c < controls_.size(); ++c) {
      const hid::ReportControl& control = controls_[c];
      if (field(control).report != id || control.kind == hid::Kind::hat_y) continue;
      const std::uint32_t from = first_bit(control);
      const std::uint32_t bits = field(control).size * (control.kind == hid::Kind::key ? field(control).count : 1);
      if (from >= begin && from < begin + 8 && (control.kind != hid::Kind::key || decoder_.value(c) != 0))
        words.push_back(value_words(c));
      is_continued = is_continued || (from < begin && from + bits > begin);
    }
    if (!words.empty()) return fmt::format("{}", fmt::join(words, ", "));
    return is_continued ? "(continued)" : "";
  }

  std::string value_words(std::size_t c) const {
    const hid::ReportControl& control = controls_[c];
    const std::string nth = control.nth > 1 ? fmt::format("#{}", control.nth) : "";
    if (control.kind == hid::Kind::hat_x)
      return fmt::format("{}{} {},{}", hid::word_of(control.usage), nth, decoder_.value(c), decoder_.value(c + 1));
    if (control.kind == hid::Kind::counts) return hid::word_of(control.usage) + nth;
    return fmt::format("{}{} {}", hid::word_of(control.usage), nth, decoder_.value(c));
  }

  const Catalogue& catalogue_;
  const Description& node_;
  hid::Descriptor descriptor_;
  std::vector<hid::ReportControl> controls_;
  std::vector<hid::KernelCode> kernel_;
  std::vector<Meaning> meanings_;  ///< by control
  const LastReports& last_;
  hid::Decoder decoder_;
};

}  // namespace

std::vector<std::string> raw_lines(const Catalogue& catalogue, const Description& node, const LastReports& last) {
  auto read = hid::read_descriptor(node.descriptor);
  if (read) return RawView{catalogue, node, std::move(*read), last}.lines();
  return {fmt::format("\"{}\", {}", printable(node.name), node.node), "  " + to_text(read.error())};
}

std::string raw_json(const Catalogue& catalogue, const Description& node, const LastReports& last) {
  auto read = hid::read_descriptor(node.descriptor);
  if (read) return RawView{catalogue, node, std::move(*read), last}.json();
  return nlohmann::ordered_json{{"name", node.name}, {"node", node.node}, {"problem", read.error().message}}.dump();
}

}  // namespace omnipar::inline abi_0::inspect
