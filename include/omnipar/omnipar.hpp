// All of Omnipar's core in one include.
#pragma once

#include "omnipar/attachment.hpp"
#include "omnipar/catalogue.hpp"
#include "omnipar/description.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/engine.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/plan.hpp"
#include "omnipar/profile.hpp"
#include "omnipar/reader.hpp"
#include "omnipar/report.hpp"
#include "omnipar/rig.hpp"
#include "omnipar/role.hpp"
#include "omnipar/system_sheet.hpp"
#include "omnipar/time.hpp"
#include "omnipar/trace.hpp"
#include "omnipar/unit_sheet.hpp"
