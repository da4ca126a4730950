#pragma once

#include "ui/engine/engine.h"
#include "ui/focus/focus.h"
#include "ui/keeper/session_keeper.h"
#include "ui/session/session_model.h"
#include "ui/sheets/sheet_library.h"
#include "ui/verdicts/verdicts.h"

namespace bexto::ui {

/// What all views of a window share. Made before the window and gone after it. The order is that of who listens to
/// whom: by the time a view hears of a change, engine and focus have followed it. The keeper goes first: what it writes
/// last is the session as it was.
struct Workspace {
  SessionModel session;
  Engine engine{session};
  SheetLibrary sheets{session, engine};
  Focus focus{session, engine};
  Verdicts verdicts{session, engine};
  SessionKeeper keeper{session, engine};
};

}  // namespace bexto::ui
