"""Every action of the window as data: menus, the help sheet and tests read this table."""

from ..kit.action import ActionSpec

ACTIONS: tuple[ActionSpec, ...] = (
    ActionSpec("open", "Open folder\u2026", ("Ctrl+O",), "Open a folder of pictures as a shoot.", "open_folder", "Shoot"),
    ActionSpec("tether", "Watch the folder", ("Ctrl+Shift+T",), "Watch the shoot's folder and add each new frame, with the edits of the open picture; again to stop.", "toggle_tether", "Shoot"),
    ActionSpec("next", "Next picture", ("PgDown",), "Open the next picture of the shoot.", "session.step", "Shoot", 1),
    ActionSpec("previous", "Previous picture", ("PgUp",), "Open the previous picture of the shoot.", "session.step", "Shoot", -1),
    ActionSpec("keep", "Keep", ("Ctrl+Up",), "Mark the picture as keep.", "sort_as", "Shoot", "keep"),
    ActionSpec("hold", "Hold", ("Ctrl+Right",), "Mark the picture as hold.", "sort_as", "Shoot", "hold"),
    ActionSpec("drop", "Drop", ("Ctrl+Down",), "Mark the picture as drop; the file is not deleted.", "sort_as", "Shoot", "drop"),
    *(
        ActionSpec(f"rank{n}", f"Rank {n}", (f"Ctrl+{n}",), f"Give the picture rank {n}.", "set_rank", "Shoot", n)
        for n in range(1, 6)
    ),
    ActionSpec("undo", "Undo", ("Ctrl+Z",), "Undo the last step of this picture; unlimited, also after a restart.", "session.undo", "Recipe"),
    ActionSpec("redo", "Redo", ("Ctrl+Shift+Z", "Ctrl+Y"), "Redo the step that was undone.", "session.redo", "Recipe"),
    ActionSpec("version", "New version", ("Ctrl+N",), "Start a new version of the picture with the same edits.", "session.new_version", "Recipe"),
    ActionSpec("move_up", "Update to current processing", ("Ctrl+Shift+N",), "Render a picture edited in an older Matiz with the current processing, as a new version.", "session.move_up", "Recipe"),
    ActionSpec("first_finding", "Apply the first fix", ("Return", "Enter"), "Apply the fix of the station's first finding.", "do_first_finding", "Recipe"),
    ActionSpec("tries", "Tries", ("Ctrl+T",), "Six alternatives of the picture side by side; click one to use it, Escape to keep the picture as it is.", "show_tries", "Recipe"),
    ActionSpec("leave_out", "Bypass the station", ("0",), "See the picture without this station's edits, which are kept; again to switch them back on.", "leave_out", "Recipe"),
    ActionSpec("fit", "Fit", ("F2",), "Show the whole picture.", "set_zoom", "View", 0.0),
    ActionSpec("one", "1:1", ("F3",), "One pixel of the picture on one pixel of the screen.", "set_zoom", "View", 1.0),
    ActionSpec("two", "2:1", ("F4",), "One pixel of the picture on two by two pixels of the screen.", "set_zoom", "View", 2.0),
    ActionSpec("split", "Split", ("F9",), "Before on the left and after on the right of a line that you can drag.", "view.toggle_comparison", "View", "split"),
    ActionSpec("side_by_side", "Side by side", ("Ctrl+F9",), "The pictures selected in Sort, or the versions of the open one, zoomed and moved together; again to go back.", "show_side_by_side", "View"),
    ActionSpec("change", "Change map", ("F10",), "Contours around what differs from before by ΔE 2, 5, 10 and 20.", "view.toggle_comparison", "View", "change"),
    ActionSpec("ask", "Ask a pixel", ("F5",), "Then click a point: which edits made it what it is, in ΔE.", "clicks.ask_pixel", "View"),
    ActionSpec("sharpest", "Sharpest of the set", ("Ctrl+Shift+F5",), "Then click what must be sharp: it is tracked through the set, or through the selected frames, and they are ranked by sharpness.", "pick_spot", "View"),
    ActionSpec("keep_sharpest", "Keep the sharpest", ("Ctrl+Shift+F6",), "Keep the sharpest of the ranked frames and mark the others as hold.", "sharpest.keep_best", "View"),
    ActionSpec("next_frame", "Next frame", ("Shift+F5",), "What the readings suggest for the next exposure in the field.", "clicks.questions.ask_next_frame", "View"),
    ActionSpec("surround", "Print surround", ("F8",), "A light surround, for judging prints; again for the dark one.", "toggle_surround", "View"),
    ActionSpec("alone", "The picture alone", ("F11",), "Nothing but the picture; again, or Escape, to go back.", "toggle_alone", "View"),
    ActionSpec("show", "Show to a client\u2026", ("Ctrl+F11",), "The picture alone, full screen; nothing can be changed, and leaving needs the PIN you set.", "begin_show", "View"),
    ActionSpec("help", "Commands", ("F1",), "Find a command by typing, see its shortcut, run it.", "show_commands", "View"),
)  # fmt: skip
"""Keys 1..9 go to the stations that are there, and Space held shows before; see the window."""

HANDS: tuple[tuple[str, str, str], ...] = (
    ("1 \u2026 9", "Go to a station", "By its number, also while another control has the focus."),
    ("Space, held", "Before", "The picture before any edit, while the key is held."),
    ("Wheel", "Zoom", "Around the pointer."),
    ("Drag", "Move the picture", "With the left or the middle button."),
    ("Double-click", "1:1 and back", "On the picture; on a control, back to its default."),
    ("Arrows", "Step the focused control", "Shift: ten times as far; Alt: a tenth."),
    ("Escape", "Cancel a drag", "While you drag a control, an instrument or a tool."),
)  # fmt: skip
"""Keys, name and help of what is no action: held keys and the mouse."""
