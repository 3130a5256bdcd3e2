#include "text/fields.hpp"

#include <algorithm>

#include <fmt/format.h>

#include "base/near.hpp"

namespace omnipar::inline abi_0::text {
namespace {

class Checker {
 public:
  Checker(const Source& source, Diagnostics& problems) : source_(source), problems_(problems) {}

  /// Each of these returns whether the value is valid.
  bool table(Value& value, std::span<const Field> fields, std::string_view what) {
    if (!is(value, Value::Type::table, what)) return false;
    bool whole = true;
    for (const Field& field : fields)
      if (field.needed && value.find(field.name) == nullptr) {
        error(value.mark, "missing-field", fmt::format("'{}' is missing", field.name), std::string{field.about});
        whole = false;
      }
    std::erase_if(value.members, [&](Member& member) {
      const auto field = std::ranges::find(fields, member.key.name, &Field::name);
      if (field == fields.end()) unknown(member.key, fields);
      const bool good = field != fields.end() && one(member.value, *field);
      if (!good && field != fields.end() && field->needed) whole = false;
      return !good;
    });
    return whole;
  }

 private:
  void error(Mark mark, std::string id, std::string message, std::string hint) {
    problems_.push_back(at(source_, mark, std::move(id), std::move(message), std::move(hint)));
  }

  void unknown(const Value::Key& key, std::span<const Field> fields) {
    std::vector<std::string_view> names;
    std::string all;
    for (const Field& field : fields) {
      names.push_back(field.name);
      all += fmt::format("{}'{}'", all.empty() ? "" : ", ", field.name);
    }
    const auto near = base::nearest(key.name, names);
    error(key.mark, "unknown-field", fmt::format("unknown field '{}'", key.name),
          near ? fmt::format("did you mean '{}'?", *near) : "there are " + all);
  }

  bool is(const Value& value, Value::Type type, std::string_view what) {
    if (value.type == type || (type == Value::Type::number && value.type == Value::Type::integer)) return true;
    error(value.mark, "wrong-type", fmt::format("{} must be {}, not {}", what, name_of(type), name_of(value.type)), "");
    return false;
  }

  bool one(Value& value, const Field& field) {
    const std::string what = fmt::format("'{}'", field.name);
    switch (field.kind) {
      case FieldKind::text:
        return word(value, field, what);
      case FieldKind::name:
        return name(value, what);
      case FieldKind::whole:
        return in_range(value, field, Value::Type::integer, what);
      case FieldKind::number:
        return in_range(value, field, Value::Type::number, what);
      case FieldKind::flag:
        return is(value, Value::Type::boolean, what);
      case FieldKind::names:
        return each(value, what, [&](Value& item) { return name(item, "each of " + what); });
      case FieldKind::texts:
        return each(value, what, [&](Value& item) { return is(item, Value::Type::text, "each of " + what); });
      case FieldKind::point:
        return point(value, field, what);
      case FieldKind::points:
        return each(value, what, [&](Value& item) { return point(item, field, "each of " + what); });
      case FieldKind::table:
        return table(value, field.inside, what);
      case FieldKind::tables:
        return each(value, what, [&](Value& item) { return table(item, field.inside, what); });
      case FieldKind::numbered:
        return keyed(value, field, what, true);
      case FieldKind::named:
        return keyed(value, field, what, false);
      case FieldKind::uses:
        return uses(value, field, what);
    }
    return false;
  }

  bool word(const Value& value, const Field& field, std::string_view what) {
    if (!is(value, Value::Type::text, what)) return false;
    if (field.words.empty() || std::ranges::find(field.words, value.text) != field.words.end()) return true;
    std::string all;
    for (const std::string_view choice : field.words) all += fmt::format("{}'{}'", all.empty() ? "" : ", ", choice);
    const auto near = base::nearest(value.text, field.words);
    error(value.mark, "bad-word", fmt::format("{} cannot be '{}'", what, value.text),
          near ? fmt::format("did you mean '{}'?", *near) : "expected " + all);
    return false;
  }

  bool name(const Value& value, std::string_view what) {
    if (!is(value, Value::Type::text, what)) return false;
    const auto fits = [](char c) { return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '-'; };
    const bool good = !value.text.empty() && value.text.size() <= 40 && value.text[0] >= 'a' && value.text[0] <= 'z' &&
                      std::ranges::all_of(value.text, fits);
    if (!good)
      error(value.mark, "bad-name", fmt::format("{} is not a valid name", what),
            "use lower-case letters, digits and '-', start with a letter, at most 40 characters");
    return good;
  }

  bool in_range(const Value& value, const Field& field, Value::Type type, std::string_view what) {
    if (!is(value, type, what)) return false;
    if (value.number >= field.low && value.number <= field.high) return true;
    error(value.mark, "bad-number", fmt::format("{} is out of range", what),
          fmt::format("expected {} to {}", field.low, field.high));
    return false;
  }

  bool point(Value& value, const Field& field, std::string_view what) {
    if (!is(value, Value::Type::list, what)) return false;
    if (value.items.size() != 2) {
      error(value.mark, "wrong-type", fmt::format("{} must be two numbers, not {}", what, value.items.size()),
            "write [120, 40]");
      return false;
    }
    return each(value, what,
                [&](const Value& item) {
                  const bool is_one = what.starts_with("each of ");  // of a list of such points
                  return in_range(item, field, Value::Type::number, (is_one ? "" : "each of ") + std::string{what});
                }) &&
           value.items.size() == 2;
  }

  /// Removes invalid entries and keeps the list.
  template <typename Act>
  bool each(Value& value, std::string_view what, Act&& act) {
    if (!is(value, Value::Type::list, what)) return false;
    std::erase_if(value.items, [&](Value& item) { return !act(item); });
    return true;
  }

  bool keyed(Value& value, const Field& field, std::string_view what, bool numbers) {
    if (!is(value, Value::Type::table, what)) return false;
    std::erase_if(value.members, [&](Member& member) {
      const std::string& key = member.key.name;
      const bool digits = std::ranges::all_of(key, [](char c) { return c >= '0' && c <= '9'; });
      const bool good_key = !numbers || (digits && key.size() <= 3);
      if (!good_key)
        error(member.key.mark, "bad-number", fmt::format("'{}' is not a number", key),
              fmt::format("write [{}.1], [{}.2] and so on", field.name, field.name));
      const bool good_table = table(member.value, field.inside, fmt::format("'{}'", key));
      return !good_key || !good_table;
    });
    return true;
  }

  bool uses(Value& value, const Field& field, std::string_view what) {
    if (!is(value, Value::Type::table, what)) return false;
    std::erase_if(value.members, [&](Member& member) {
      if (member.value.type != Value::Type::list) return !use(member.value, field, member.key.name);
      std::erase_if(member.value.items, [&](Value& item) { return !use(item, field, member.key.name); });
      return false;
    });
    return true;
  }

  bool use(Value& value, const Field& field, std::string_view target) {
    if (value.type == Value::Type::text) return true;
    if (value.type == Value::Type::table) return table(value, field.inside, target);
    error(value.mark, "wrong-type",
          fmt::format("a source of '{}' must be a role or a table, not {}", target, name_of(value.type)),
          R"(write "south", or { use = "south", long-press = 300 })");
    return false;
  }

  const Source& source_;
  Diagnostics& problems_;
};

}  // namespace

std::optional<Value> checked(const Source& source, Value table, std::span<const Field> fields, Diagnostics& problems) {
  if (!Checker{source, problems}.table(table, fields, "the file")) return std::nullopt;
  return table;
}

}  // namespace omnipar::inline abi_0::text
