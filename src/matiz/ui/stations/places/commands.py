"""The commands of Places."""

from ...kit.action import ActionSpec

COMMANDS = (
    ActionSpec(
        "give_place",
        "Copy this place to the selected",
        ("Ctrl+Alt+P",),
        "Copy the chosen place, mask and changes, to the pictures selected in Sort.",
        "give_place",
        "Places",
        is_seen_there=False,
    ),
    ActionSpec("place_new", "New place", ("Ctrl+P",), "Add a place that changes nothing yet.", "new_place", "Places"),
    ActionSpec("place_lighter", "Paint lighter", ("+",), "Paint with a brush at once.", "paint", "Places", "lighter"),
    ActionSpec("place_darker", "Paint darker", ("-",), "Paint with a brush at once.", "paint", "Places", "darker"),
    ActionSpec(
        "place_double",
        "Duplicate the place",
        ("Ctrl+Shift+P",),
        "Duplicate the chosen place.",
        "double_place",
        "Places",
    ),
    ActionSpec(
        "place_merge",
        "Merge upward",
        ("Ctrl+Shift+J",),
        "Merge the place with the one above.",
        "merge_place",
        "Places",
    ),
    ActionSpec("place_mask", "See the mask", ("Ctrl+M",), "Over the picture, alone, or off.", "next_mask", "Places"),
    ActionSpec("place_where", "Where", ("Ctrl+Shift+W",), "Show the parts of the mask.", "turn_to", "Places", "Where"),
    ActionSpec("place_what", "What", ("Ctrl+W",), "Show what is changed.", "turn_to", "Places", "What"),
)
