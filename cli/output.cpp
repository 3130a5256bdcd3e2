// The output of commands: results to stdout, messages to stderr. Names and texts of units, sheets and traces are
// untrusted, so all output is made safe for a terminal here, and nowhere else.
#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <cstring>

#include <fmt/format.h>

#include "base/list.hpp"
#include "command.hpp"
#include "os/door.hpp"
#include "style.hpp"
#include "text/utf8.hpp"

namespace omnipar::cli {
namespace {

bool output_was_closed = false;
bool anything_printed = false;
int output_error = 0;  ///< the first reason why the output is incomplete
bool json_is_wanted = false;
bool has_lines = false;
Diagnostics json_problems;  ///< with --json

void note(bool written) {
  if (!written && output_error == 0) output_error = errno;
}

void put(const std::string& text) {
  anything_printed = true;
  note(std::fputs((text + "\n").c_str(), stdout) >= 0);
}

/// The code point of a well-formed character of two or three bytes, or of one.
unsigned code_point(std::string_view character) {
  const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(character[i]); };
  if (character.size() == 1) return byte(0);
  if (character.size() == 2) return (byte(0) & 0x1fU) << 6 | (byte(1) & 0x3fU);
  return (byte(0) & 0x0fU) << 12 | (byte(1) & 0x3fU) << 6 | (byte(2) & 0x3fU);
}

}  // namespace

std::string styled_text(Diagnostic problem) {
  // Text from outside must not look like ours.
  const Style style = problem.severity == Severity::warning ? Style::hint : Style::error;
  problem.message = styled(style, for_terminal(problem.message, -1));
  if (const std::size_t caret = problem.excerpt.rfind('^'); caret != std::string::npos)
    problem.excerpt.replace(caret, 1, styled(Style::error, "^"));
  return to_text(problem);
}

std::string json_text(const nlohmann::ordered_json& value, int indent) {
  const std::string text = value.dump(indent, ' ', false, nlohmann::ordered_json::error_handler_t::replace);
  std::string clean;
  for (std::string_view rest = text; !rest.empty();) {
    const std::string_view before = rest;
    const std::string_view shown = text::next_character(rest);
    const std::string_view character = before.substr(0, before.size() - rest.size());
    if (character == shown || character == "\n")
      clean += character;
    else
      clean += fmt::format("\\u{:04x}", code_point(character));
  }
  return clean;
}

void print(const std::string& line) {
  const std::size_t end = line.find_last_not_of(' ') + 1;  // columns leave blanks after the last word
  put(for_terminal(line.substr(0, end), STDOUT_FILENO));
}

void print_json(const nlohmann::ordered_json& value, int indent) { put(json_text(value, indent)); }

void talk(const std::string& line) {
  note(std::fflush(stdout) == 0);  // on a terminal both streams appear in the order of printing
  std::fputs((for_terminal(line, STDERR_FILENO) + "\n").c_str(), stderr);
}

Diagnostics first_of(const Diagnostics& problems) {
  constexpr std::size_t most = 50;
  if (problems.size() <= most + 1) return problems;
  Diagnostics first{problems.begin(), problems.begin() + most};
  first.push_back({"more-problems", Severity::error,
                   fmt::format("and {}", quantity(problems.size() - most, "more problem")), "",
                   "fix the problems above first; they may have caused the others"});
  return first;
}

void tell(const Diagnostics& problems) {
  for (const Diagnostic& problem : first_of(problems))
    talk((problem.excerpt.empty() ? "omnipar: " : "") + styled_text(problem));
  if (json_is_wanted) json_problems.insert(json_problems.end(), problems.begin(), problems.end());
}

nlohmann::ordered_json problems_json(const Diagnostics& problems) {
  auto list = nlohmann::ordered_json::array();
  for (const Diagnostic& p : first_of(problems))
    list.push_back({{"id", p.id},
                    {"severity", p.severity == Severity::warning ? "warning" : "error"},
                    {"place", p.place},
                    {"message", p.message},
                    {"hint", p.hint}});
  return list;
}

bool flush_results() {
  note(std::fflush(stdout) == 0);
  return output_error == 0;
}

void results_are_lines() { has_lines = true; }

void begin_output(std::span<char*> words) {
  output_was_closed = !os::open_standard_streams();
  for (const std::string_view word : words) {
    if (word == "--") break;  // what follows belongs to another program
    json_is_wanted = json_is_wanted || word == "--json";
  }
}

int end_output(int status) {
  const bool wants_problems = status > found_something || (status == found_something && !json_problems.empty());
  if (json_is_wanted && wants_problems && (has_lines || !anything_printed))
    print_json(nlohmann::ordered_json{{"problems", problems_json(json_problems)}});
  note(std::fflush(stdout) == 0);
  if (output_was_closed && anything_printed) output_error = EBADF;
  if (output_error == 0 || status > found_something) return status;
  talk(fmt::format("omnipar: write error ({}): the output is incomplete", std::strerror(output_error)));
  return machine_refuses;
}

}  // namespace omnipar::cli
