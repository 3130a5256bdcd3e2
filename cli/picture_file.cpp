#include "picture_file.hpp"

#include <fmt/format.h>

#include "command.hpp"
#include "draw/pictures.hpp"
#include "files/write.hpp"
#include "os/door.hpp"

namespace omnipar::cli {

std::optional<Diagnostic> refuses_picture(const std::string& path) {
  if (path.empty() || draw::format_of(path)) return std::nullopt;
  return Diagnostic{"bad-picture", Severity::error, "a picture is an .svg or a .png file", path,
                    "write --picture stick.svg, or stick.png"};
}

int write_picture(const std::string& path, const std::string& bytes, const std::string& hint) {
  std::optional<Diagnostic> problem;
  if (bytes.empty())
    problem = Diagnostic{"no-picture", Severity::error, "there is nothing to be drawn", path, hint};
  else
    problem = files::write_whole(os::real_door(), path, bytes);
  if (problem) {
    tell({*problem});
    return bytes.empty() ? bad_input : machine_refuses;
  }
  talk(fmt::format("Drawn: {}", path));
  return good;
}

}  // namespace omnipar::cli
