// A unit sheet by pressing: for a model of which nobody knows what its codes are. The same `Learning` asks; what it
// hears are the unit's raw controls, and the answers make a sheet that everybody who owns one can use.
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

/// Every control of a node under its raw name ("BTN_SOUTH", "hid:0/x#2"). Where an axis rests is found out while it is
/// heard.
[[nodiscard]] Attachment raw_attachment(const Description& node);

/// What a model looks like: which controls it may have.
enum class ModelForm { pad, panel, gun, wheel, yoke, mat, ball, spinner, numbered };
/// Their names, in this order.
[[nodiscard]] std::vector<std::string_view> model_form_names();
/// The form that a unit of these nodes has most likely, and those that it cannot have left out: that one first.
[[nodiscard]] std::vector<ModelForm> likely_forms(std::span<const Description> nodes);
/// True if units of this form have face buttons, which are asked for by place or by letter.
[[nodiscard]] bool has_face_buttons(ModelForm form) noexcept;

/// One control that is asked for, and what it is on a sheet.
struct ModelQuestion {
  Question question;
  std::string role;
  Axis axis = Axis::none;
  std::string part{};
  std::string label{};
};

/// The controls that a unit of these nodes may have (without nodes: any unit), each for every part. `by_letter`: the
/// face buttons are asked for by their letters, A, B, X and Y, which are the kernel's names for south, east, north and
/// west; else by their places.
[[nodiscard]] std::vector<ModelQuestion> model_questions(ModelForm form, bool by_letter,
                                                         const std::vector<std::string>& parts,
                                                         std::span<const Description> nodes);

/// A node whose controls have been learned, by the number that the learning knows it by.
struct LearnedNode {
  int number = 0;
  Description description;
  bool is_main = false;
};

/// The sheet that the answers make. What `base` says of codes that were not answered stays; of a role that was answered
/// it is replaced. On a sheet a control has one role, and an axis is not a button: the names of answers that have no
/// place there are added to `left_out`.
[[nodiscard]] UnitSheet learned_sheet(std::string name, std::span<const LearnedNode> nodes,
                                      std::span<const ModelQuestion> asked, const Learning& learning,
                                      std::vector<std::string>& left_out, const UnitSheet& base = {});

/// What can be said of a unit without asking: by the kernel's convention, and keys by their names; or by the sheet of
/// another model, as far as it has the same codes.
[[nodiscard]] UnitSheet conventional_sheet(std::span<const LearnedNode> nodes);
[[nodiscard]] UnitSheet sheet_like(const UnitSheet& other, std::span<const LearnedNode> nodes);

}  // namespace omnipar::inline abi_0
