#include "text/fields.hpp"

#include <algorithm>

#include <fmt/format.h>

#include "base/near.hpp"

namespace omnipar::text {
namespace {

class Checker {
 public:
  Checker(const Source& source, Diagnostics& problems) : source_(source), problems_(problems) {}

  void table(const Value& value, std::span<const Field> fields, std::string_view what) {
    if (!is(value, Value::Type::table, what)) return;
    for (const auto& [key, member] : value.members) {
      const auto field = std::ranges::find(fields, key.name, &Field::name);
      if (field == fields.end())
        unknown(key, fields);
      else
        one(member, *field);
    }
    for (const Field& field : fields)
      if (field.needed && value.find(field.name) == nullptr)
        error(value.mark, "missing-field", fmt::format("'{}' is missing", field.name), std::string{field.about});
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
    const auto near = nearest(key.name, names);
    error(key.mark, "unknown-field", fmt::format("there is no field '{}' here", key.name),
          near ? fmt::format("did you mean '{}'?", *near) : "there are " + all);
  }

  bool is(const Value& value, Value::Type type, std::string_view what) {
    if (value.type == type || (type == Value::Type::number && value.type == Value::Type::integer)) return true;
    error(value.mark, "wrong-type", fmt::format("{} should be {}, not {}", what, name_of(type), name_of(value.type)),
          "");
    return false;
  }

  void one(const Value& value, const Field& field) {
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
        (void)is(value, Value::Type::boolean, what);
        return;
      case FieldKind::names:
        return each(value, what, [&](const Value& item) { name(item, "each of " + what); });
      case FieldKind::table:
        return table(value, field.inside, what);
      case FieldKind::tables:
        return each(value, what, [&](const Value& item) { table(item, field.inside, what); });
      case FieldKind::numbered:
        return keyed(value, field, what, true);
      case FieldKind::named:
        return keyed(value, field, what, false);
      case FieldKind::uses:
        return uses(value, field, what);
    }
  }

  void word(const Value& value, const Field& field, std::string_view what) {
    if (!is(value, Value::Type::text, what) || field.words.empty()) return;
    if (std::ranges::find(field.words, value.text) != field.words.end()) return;
    std::string all;
    for (const std::string_view choice : field.words) all += fmt::format("{}'{}'", all.empty() ? "" : ", ", choice);
    const auto near = nearest(value.text, field.words);
    error(value.mark, "bad-word", fmt::format("{} cannot be '{}'", what, value.text),
          near ? fmt::format("did you mean '{}'?", *near) : "it may be " + all);
  }

  void name(const Value& value, std::string_view what) {
    if (!is(value, Value::Type::text, what)) return;
    const auto fits = [](char c) { return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '-'; };
    const bool good = !value.text.empty() && value.text.size() <= 40 && value.text[0] >= 'a' && value.text[0] <= 'z' &&
                      std::ranges::all_of(value.text, fits);
    if (!good)
      error(value.mark, "bad-name", fmt::format("{} is not a name", what),
            "a name has lower-case letters, digits and '-', begins with a letter, and is at most 40 long");
  }

  void in_range(const Value& value, const Field& field, Value::Type type, std::string_view what) {
    if (!is(value, type, what)) return;
    if (value.number >= field.low && value.number <= field.high) return;
    error(value.mark, "bad-number", fmt::format("{} is out of range", what),
          fmt::format("it may be {} to {}", field.low, field.high));
  }

  template <typename Act>
  void each(const Value& value, std::string_view what, Act&& act) {
    if (!is(value, Value::Type::list, what)) return;
    for (const Value& item : value.items) act(item);
  }

  void keyed(const Value& value, const Field& field, std::string_view what, bool numbers) {
    if (!is(value, Value::Type::table, what)) return;
    for (const auto& [key, member] : value.members) {
      const bool digits = std::ranges::all_of(key.name, [](char c) { return c >= '0' && c <= '9'; });
      if (numbers && (!digits || key.name.size() > 3))
        error(key.mark, "bad-number", fmt::format("'{}' is no number", key.name),
              fmt::format("write [{}.1], [{}.2] and so on", field.name, field.name));
      table(member, field.inside, fmt::format("'{}'", key.name));
    }
  }

  void uses(const Value& value, const Field& field, std::string_view what) {
    if (!is(value, Value::Type::table, what)) return;
    for (const auto& [key, member] : value.members) {
      if (member.type != Value::Type::list) {
        use(member, field, key.name);
        continue;
      }
      for (const Value& item : member.items) use(item, field, key.name);
    }
  }

  void use(const Value& value, const Field& field, std::string_view target) {
    if (value.type == Value::Type::text) return;
    if (value.type == Value::Type::table) return table(value, field.inside, target);
    error(value.mark, "wrong-type",
          fmt::format("a source of '{}' should be a role or a table, not {}", target, name_of(value.type)),
          R"(write "south", or { use = "south", hold = 300 })");
  }

  const Source& source_;
  Diagnostics& problems_;
};

}  // namespace

void check_fields(const Source& source, const Value& table, std::span<const Field> fields, Diagnostics& problems) {
  Checker{source, problems}.table(table, fields, "the file");
}

}  // namespace omnipar::text
