// Learning the sheet of an unknown unit model by pressing its controls. `Learning` asks for the controls by their raw
// codes, and the answers become a sheet that works for every unit of the model.
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/catalogue.hpp"
#include "omnipar/description.hpp"
#include "omnipar/learning.hpp"
#include "omnipar/unit_sheet.hpp"

namespace omnipar::inline abi_0 {

/// Returns an attachment with every control of a node under its raw name ("BTN_SOUTH", "hid:0/x#2"). Rest positions are
/// determined while reports arrive.
[[nodiscard]] Attachment raw_attachment(const Description& node);

/// The form of a unit, which determines the controls it may have.
enum class ModelForm { pad, panel, gun, wheel, yoke, mat, ball, spinner, numbered };
/// Returns the names of all forms, in this order.
[[nodiscard]] std::vector<std::string_view> model_form_names();
/// Returns the forms that a unit with these nodes can have, the most likely first.
[[nodiscard]] std::vector<ModelForm> likely_forms(std::span<const Description> nodes);
/// Returns true if units of this form have face buttons, named by position or by letter.
[[nodiscard]] bool has_face_buttons(ModelForm form) noexcept;

/// A control to ask for, and its entry in the sheet.
struct ModelQuestion {
  Question question;
  std::string role;
  Axis axis = Axis::none;
  std::string part{};
  std::string label{};
};

/// Returns the controls that a unit with these nodes may have (without nodes: any unit), each for every part. With
/// `by_letter`, face buttons are asked for by the letters A, B, X and Y (the kernel's names for south, east, north and
/// west), otherwise by position.
[[nodiscard]] std::vector<ModelQuestion> model_questions(ModelForm form, bool by_letter,
                                                         const std::vector<std::string>& parts,
                                                         std::span<const Description> nodes);

/// A node whose controls were learned, by its number in the session.
struct LearnedNode {
  int number = 0;
  Description description;
  bool is_main = false;
};

/// Returns the sheet for the answers. Entries of `base` for codes without an answer are kept; roles with an answer are
/// replaced. A control has one role in a sheet, and an axis is not a button: the names of answers that do not fit are
/// added to `left_out`.
[[nodiscard]] UnitSheet learned_sheet(std::string name, std::span<const LearnedNode> nodes,
                                      std::span<const ModelQuestion> asked, const Learning& learning,
                                      std::vector<std::string>& left_out, const UnitSheet& base = {});

/// Returns a sheet without asking: from the kernel's convention and key names, or from another model's sheet, for the
/// codes that both have.
[[nodiscard]] UnitSheet conventional_sheet(std::span<const LearnedNode> nodes);
[[nodiscard]] UnitSheet sheet_like(const UnitSheet& other, std::span<const LearnedNode> nodes);

}  // namespace omnipar::inline abi_0
