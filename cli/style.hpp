// Colours on terminals: helpful, but never required.
#pragma once

#include <cstddef>
#include <string>
#include <string_view>

namespace omnipar::cli {

enum class Style : char { error = 'r', good = 'g', hint = 'y', bright = 'b' };

/// A text that `print` and `talk` show in this style if there are colours, and plain elsewhere.
[[nodiscard]] std::string styled(Style style, std::string_view text);

/// Without control characters, which could be harmful in a terminal; lines and columns are kept, and styles become
/// colours if the stream (1 or 2) has any.
[[nodiscard]] std::string for_terminal(std::string_view text, int stream);

/// "auto": on a terminal, unless NO_COLOR is set or TERM is "dumb"; "always"; "never". False if it is none of these.
[[nodiscard]] bool choose_colour(std::string_view when);

/// True if the stream (1 or 2) shows colours.
[[nodiscard]] bool has_colours(int stream);

/// The number of columns of the output; 0 if it is not a terminal.
[[nodiscard]] std::size_t terminal_width();

}  // namespace omnipar::cli
