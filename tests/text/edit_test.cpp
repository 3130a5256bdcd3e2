// Edits in place change exactly what was requested.
#include <algorithm>
#include <catch2/catch.hpp>

#include "catalogue/shipped.hpp"
#include "marrowby.hpp"
#include "text/edit.hpp"

using namespace omnipar;
using text::Path;
using text::Source;
using text::Value;

namespace {

using Keys = std::vector<std::string>;

const std::string cabinet = R"(# Marrowby's cabinet: the left panel is player 1.
omnipar = 1
kind = "profile"   # a profile
name = "Größe"
system = "arcade-4b"

[port.1]
seat = "left"
[port.1.bind]
a = "south"                          # the big one
b = ["east",                         # two of them
     { use = "west", debounce = 12 }]  # this switch bounces
c = 'west'

[port.2]   # right
seat = "right"
like = 1

[hotkeys]
exit = { modifier = "start", press = "left-shoulder" }  # way out
menu = { modifier = "start", press = "north", after = 10 }
)";

std::string set(const std::string& text, const Keys& keys, const std::string& value) {
  return text::set_value({"t", text}, keys, value).value();
}
std::string clear(const std::string& text, const Keys& keys) { return text::clear_value({"t", text}, keys).value(); }

std::vector<std::string> lines_of(const std::string& text) {
  std::vector<std::string> lines{""};
  for (const char c : text) c == '\n' ? (void)lines.emplace_back() : lines.back().push_back(c);
  return lines;
}

/// The number of lines to remove from `a` to get to `b`: the longest common subsequence by dynamic programming.
std::size_t lines_gone(const std::string& a, const std::string& b) {
  const auto from = lines_of(a);
  const auto to = lines_of(b);
  std::vector<std::vector<std::size_t>> common(from.size() + 1, std::vector<std::size_t>(to.size() + 1));
  for (std::size_t i = 1; i <= from.size(); ++i)
    for (std::size_t j = 1; j <= to.size(); ++j)
      common[i][j] = from[i - 1] == to[j - 1] ? common[i - 1][j - 1] + 1 : std::max(common[i - 1][j], common[i][j - 1]);
  return from.size() - common[from.size()][to.size()];
}

/// Every value whose path consists of keys alone.
void collect(const Value& table, const Keys& path, std::vector<std::pair<Keys, const Value*>>& all) {
  for (const text::Member& member : table.members) {
    Keys keys = path;
    keys.push_back(member.key.name);
    if (member.value.type == Value::Type::table)
      collect(member.value, keys, all);
    else
      all.emplace_back(keys, &member.value);
  }
}

}  // namespace

TEST_CASE("Editing one binding changes one line", "[edit]") {
  struct Case {
    Keys keys;
    std::string value, old_line, new_line;
  };
  const std::vector<Case> cases{
      {{"port", "1", "bind", "a"},
       "[\"north\", \"west\"]",
       "a = \"south\"                          # the big one\n",
       "a = [\"north\", \"west\"]                          # the big one\n"},
      {{"port", "1", "bind", "c"}, "[]", "c = 'west'\n", "c = []\n"},
      {{"port", "1", "bind", "coin"}, "\"select\"", "c = 'west'\n", "c = 'west'\ncoin = \"select\"\n"},
      {{"port", "2", "like"}, "3", "like = 1\n", "like = 3\n"},
      {{"port", "2", "bind", "a"}, "\"west\"", "like = 1\n", "like = 1\n[port.2.bind]\na = \"west\"\n"},
      {{"port", "3", "seat"}, "\"sofa\"", "after = 10 }\n", "after = 10 }\n\n[port.3]\nseat = \"sofa\"\n"},
      {{"hotkeys", "exit", "press"}, "\"north\"", "\"left-shoulder\" }", "\"north\" }"},
      {{"hotkeys", "exit", "after"}, "500", "\"left-shoulder\" }", "\"left-shoulder\", after = 500 }"},
      {{"name"}, "\"Cabinet\"", "\"Größe\"", "\"Cabinet\""},
      {{"about"}, "\"evenings\"", "system = \"arcade-4b\"\n", "system = \"arcade-4b\"\nabout = \"evenings\"\n"},
  };
  for (const Case& c : cases) {
    CAPTURE(c.keys, c.value);
    std::string wanted = cabinet;
    wanted.replace(wanted.find(c.old_line), c.old_line.size(), c.new_line);
    REQUIRE(set(cabinet, c.keys, c.value) == wanted);
    REQUIRE(lines_gone(cabinet, wanted) <= 1);
    REQUIRE(set(wanted, c.keys, c.value) == wanted);  // repeating it changes nothing
  }
}

TEST_CASE("Clearing a binding removes only its own lines", "[edit]") {
  for (const auto& [keys, gone] : std::vector<std::pair<Keys, std::string>>{
           {{"port", "1", "bind", "a"}, "a = \"south\"                          # the big one\n"},
           {{"port", "1", "bind", "c"}, "c = 'west'\n"},
           {{"hotkeys", "menu", "after"}, ", after = 10"},
           {{"hotkeys", "menu", "modifier"}, "modifier = \"start\", "}}) {
    CAPTURE(keys);
    std::string wanted = cabinet;
    wanted.erase(keys[1] == "menu" ? wanted.rfind(gone) : wanted.find(gone), gone.size());
    REQUIRE(clear(cabinet, keys) == wanted);
    REQUIRE(clear(wanted, keys) == wanted);
  }
  REQUIRE(lines_gone(cabinet, clear(cabinet, {"port", "1", "bind", "b"})) == 2);
}

TEST_CASE("Every value of every shipped file can be set to itself, changed, restored and cleared", "[edit]") {
  std::vector<std::string> texts{cabinet, std::string{marrowby::sheets_text()}};
  for (const catalogue::Shipped& sheet : catalogue::shipped()) texts.emplace_back(sheet.text);
  std::size_t edits = 0;
  for (const std::string& original : texts)
    for (const bool carriage_returns : {false, true}) {
      std::string text = original;
      if (carriage_returns)
        for (std::size_t at = 0; (at = text.find('\n', at)) != std::string::npos; at += 2) text.replace(at, 1, "\r\n");
      const text::Parsed parsed = text::parse_toml({"t", text});
      REQUIRE(parsed.problems.empty());
      std::vector<std::pair<Keys, const Value*>> values;
      collect(parsed.root, {}, values);
      for (const auto& [keys, value] : values) {
        CAPTURE(keys);
        if (value->type == Value::Type::list) continue;
        ++edits;
        const std::string other = set(text, keys, "\"something else\"");
        REQUIRE(lines_gone(text, other) == 1);
        REQUIRE(set(other, keys, "\"something else\"") == other);
        const std::string without = clear(text, keys);
        REQUIRE(lines_gone(text, without) == 1);
        REQUIRE(lines_gone(without, text) <= 1);
      }
    }
  REQUIRE(edits > 60);
}

TEST_CASE("Edits that belong to a person are rejected", "[edit]") {
  const auto id_of = [](const tl::expected<std::string, Diagnostics>& result) { return result.error()[0].id; };
  const Source source{"t", cabinet};
  REQUIRE(id_of(text::clear_value(source, Keys{"port", "1", "bind"})) == "cannot-edit");
  REQUIRE(id_of(text::set_value(source, Keys{"name", "first"}, "1")) == "cannot-edit");
  REQUIRE(id_of(text::set_value(source, Keys{"name"}, "1\nkind = 2")) == "cannot-edit");
  REQUIRE(id_of(text::set_value(source, Keys{"name"}, "\"open")) == "syntax");
  REQUIRE(id_of(text::set_value({"t", "a = ["}, Keys{"name"}, "1")) == "syntax");
}

TEST_CASE("Bindings in unusual places", "[edit]") {
  REQUIRE(set("", {"a"}, "1") == "a = 1\n");
  REQUIRE(set("x = 1", {"a"}, "1") == "x = 1\na = 1\n");
  REQUIRE(set("x = 1", {"p", "a"}, "1") == "x = 1\n\n[p]\na = 1\n");
  REQUIRE(set("p = {}\n", {"p", "a"}, "1") == "p = { a = 1 }\n");
  REQUIRE(set("p = { b = 2 }\n", {"p", "q", "a"}, "1") == "p = { b = 2, q = { a = 1 } }\n");
  REQUIRE(set("p.b = 2\n", {"p", "b"}, "1") == "p.b = 1\n");
  REQUIRE(set("[p]\n\n# about b\nb = 2 # two\n\n[q]\n", {"p", "a"}, "1") ==
          "[p]\n\n# about b\nb = 2 # two\na = 1\n\n[q]\n");
  REQUIRE(clear("p = { a = 1 }\n", {"p", "a"}) == "p = {  }\n");
  REQUIRE(clear("p.a = 1\np.b = 2\n", {"p", "a"}) == "p.b = 2\n");
}

TEST_CASE("An entry in a list of tables can be changed, extended or removed", "[edit]") {
  const std::string rig =
      "omnipar = 1\nkind = \"rig\"\n\n# the big one\n[[unit]]\nname = \"a\" # a\nseat = \"left\"\n\n[[unit]]\nname = "
      "\"b\"\n\n"
      "# at the door\n[[unit]]\nname = \"c\"\n";
  const auto without = [&rig](std::string gone) {
    std::string text = rig;
    return text.erase(text.find(gone), gone.size());
  };
  std::string wanted = rig;
  REQUIRE(set(rig, {"unit", "#0", "seat"}, "\"right\"") == wanted.replace(rig.find("left"), 4, "right"));
  wanted = rig;
  REQUIRE(set(rig, {"unit", "#1", "seat"}, "\"sofa\"") == wanted.insert(rig.find("\n\n# at"), "\nseat = \"sofa\""));
  REQUIRE(clear(rig, {"unit", "#1"}) == without("[[unit]]\nname = \"b\"\n\n"));
  REQUIRE(clear(rig, {"unit", "#0"}) == without("[[unit]]\nname = \"a\" # a\nseat = \"left\"\n\n"));
  REQUIRE(clear(rig, {"unit", "#2"}) == without("[[unit]]\nname = \"c\"\n"));
  REQUIRE(clear(rig, {"unit", "#3"}) == rig);
  REQUIRE(clear("[[unit]]\nname = \"a\"\n", {"unit", "#0"}).empty());
}

TEST_CASE("A path to a missing key changes nothing, whatever its index", "[edit]") {
  for (const char* key : {"#", "#x", "#99999999999999999999999", "#-1"}) {
    const auto cleared = text::clear_value({"t", "[[unit]]\nname = \"a\"\n"}, Keys{"unit", key});
    CHECK(cleared.value_or("refused") == (cleared ? "[[unit]]\nname = \"a\"\n" : "refused"));
    CHECK_NOTHROW(static_cast<void>(text::set_value({"t", cabinet}, Keys{key, "seat"}, "\"left\"")));
  }
}
