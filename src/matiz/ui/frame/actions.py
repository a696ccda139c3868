"""Every action of the window as data: menus, the help sheet and tests read this table."""

from ..kit.action import ActionSpec

ACTIONS: tuple[ActionSpec, ...] = (
    ActionSpec("open", "Open folder\u2026", ("Ctrl+O",), "Open a folder of pictures as a shoot.", "open_folder", "Shoot"),
    ActionSpec("tether", "Follow the folder", ("Ctrl+Shift+T",), "Take in what a camera writes into the shoot's folder, each frame decided as the open one; again to end it.", "toggle_tether", "Shoot"),
    ActionSpec("next", "Next picture", ("PgDown",), "Open the next picture of the shoot.", "session.step", "Shoot", 1),
    ActionSpec("previous", "Previous picture", ("PgUp",), "Open the previous picture of the shoot.", "session.step", "Shoot", -1),
    ActionSpec("keep", "Keep", ("Ctrl+Up",), "Sort the picture as keep.", "sort_as", "Shoot", "keep"),
    ActionSpec("hold", "Hold", ("Ctrl+Right",), "Sort the picture as hold.", "sort_as", "Shoot", "hold"),
    ActionSpec("drop", "Drop", ("Ctrl+Down",), "Sort the picture as drop; its file stays.", "sort_as", "Shoot", "drop"),
    *(
        ActionSpec(f"rank{n}", f"Rank {n}", (f"Ctrl+{n}",), f"Give the picture rank {n}.", "set_rank", "Shoot", n)
        for n in range(1, 6)
    ),
    ActionSpec("undo", "Undo", ("Ctrl+Z",), "Take the last step of this picture back; unlimited, also after a restart.", "session.undo", "Recipe"),
    ActionSpec("redo", "Redo", ("Ctrl+Shift+Z", "Ctrl+Y"), "Do the step again that was taken back.", "session.redo", "Recipe"),
    ActionSpec("version", "New version", ("Ctrl+N",), "Copy the recipe into a new version of the picture.", "session.new_version", "Recipe"),
    ActionSpec("move_up", "Newest arithmetic", ("Ctrl+Shift+N",), "Render a picture that was decided with an older Matiz as a new one would be, in a version of its own.", "session.move_up", "Recipe"),
    ActionSpec("first_finding", "Do the first finding", ("Return", "Enter"), "Do the fix of the first finding of the station.", "do_first_finding", "Recipe"),
    ActionSpec("tries", "Tries", ("Ctrl+T",), "Six alternatives of the picture side by side; a click takes one, Escape none.", "show_tries", "Recipe"),
    ActionSpec("leave_out", "Leave the station out", ("0",), "See the picture without this station's decisions, which are kept; again to take them back in.", "leave_out", "Recipe"),
    ActionSpec("fit", "Fit", ("F2",), "Show all of the picture.", "set_zoom", "View", 0.0),
    ActionSpec("one", "1:1", ("F3",), "One pixel of the picture on one of the screen.", "set_zoom", "View", 1.0),
    ActionSpec("two", "2:1", ("F4",), "One pixel of the picture on two by two of the screen.", "set_zoom", "View", 2.0),
    ActionSpec("split", "Split", ("F9",), "Before at the left, after at the right of a line that can be dragged.", "view.toggle_comparison", "View", "split"),
    ActionSpec("side_by_side", "Side by side", ("Ctrl+F9",), "The pictures selected in Sort, or the versions of the open one, with one zoom and one place; again to go back.", "show_side_by_side", "View"),
    ActionSpec("change", "Change map", ("F10",), "Contours round what differs from before by ΔE 2, 5, 10 and 20.", "view.toggle_comparison", "View", "change"),
    ActionSpec("ask", "Ask a pixel", ("F5",), "Then click a place: which decision made it what it is, in ΔE.", "clicks.ask_pixel", "View"),
    ActionSpec("sharpest", "Sharpest of the set", ("Ctrl+Shift+F5",), "Then click what must be sharp: it is followed through the set, or through what is selected, and the frames are ranked.", "pick_spot", "View"),
    ActionSpec("keep_sharpest", "Keep the sharpest", ("Ctrl+Shift+F6",), "Of the frames that were ranked the sharpest stays, the others are held.", "sharpest.keep_best", "View"),
    ActionSpec("next_frame", "Next frame", ("Shift+F5",), "What the readings mean for the next exposure in the field.", "session.say_next_frame", "View"),
    ActionSpec("surround", "Print surround", ("F8",), "Light surround, for judging prints; again for the dark one.", "toggle_surround", "View"),
    ActionSpec("alone", "The picture alone", ("F11",), "Nothing but the picture; again, or Escape, to go back.", "toggle_alone", "View"),
    ActionSpec("show", "Show to a client\u2026", ("Ctrl+F11",), "The picture alone, full screen; nothing can be changed, and leaving needs the PIN that is set.", "begin_show", "View"),
    ActionSpec("help", "Commands", ("F1",), "Find a command by typing, see its key, run it.", "show_commands", "View"),
)  # fmt: skip
"""Keys 1..9 go to the stations that are there, and Space held shows before; see the window."""

HANDS: tuple[tuple[str, str, str], ...] = (
    ("1 \u2026 9", "Go to a station", "By its number, also while another has the focus."),
    ("Space, held", "Before", "The picture before any change, while the key is held."),
    ("Wheel", "Zoom", "Around the pointer."),
    ("Drag", "Move the picture", "With the left or the middle button."),
    ("Double-click", "1:1 and back", "On the picture; on a control: back to its default."),
    ("Arrows", "Step the focused control", "With Shift ten times as far, with Alt a tenth."),
    ("Escape", "Take back a drag", "While a control, an instrument or a tool is dragged."),
)  # fmt: skip
"""Keys, name and help of what is no action: held keys and the mouse."""
