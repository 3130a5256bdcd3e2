// The catalogue that is part of the library: the shipped sheets, read like any others.
#include "catalogue/shipped.hpp"
#include "omnipar/sheets.hpp"

namespace omnipar::inline abi_0 {

Catalogue built_in_catalogue() {
  Catalogue catalogue;
  for (const catalogue::Shipped& sheet : catalogue::shipped()) {
    Sheets read = read_sheets(sheet.name, sheet.text);
    for (SystemSheet& system : read.systems) catalogue.systems.push_back(std::move(system));
    for (UnitSheet& unit : read.units) catalogue.units.push_back(std::move(unit));
  }
  return catalogue;
}

}  // namespace omnipar::inline abi_0
