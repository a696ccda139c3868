"""The commands of Sort."""

from ...kit.action import ActionSpec

MERGES = (
    ActionSpec(
        "merge_bracket",
        "Merge a bracket",
        ("Ctrl+Alt+B",),
        "One frame of the selected, or of the set, with the dynamic range of all of them.",
        "merge_as",
        "Sort",
        "bracket",
    ),
    ActionSpec(
        "merge_focus",
        "Merge a focus stack",
        ("Ctrl+Alt+F",),
        "One frame of the selected, or of the set, sharp wherever one of them is.",
        "merge_as",
        "Sort",
        "focus",
    ),
    ActionSpec(
        "merge_mean",
        "Merge to a mean",
        ("Ctrl+Alt+M",),
        "One frame with less noise from the selected; at night both ground and stars stay sharp.",
        "merge_as",
        "Sort",
        "mean",
    ),
)
"""Each as what it is said to be, whatever the files say."""
SETS = (
    ActionSpec(
        "set_keep",
        "Keep the set as it is",
        ("Ctrl+Alt+I",),
        "Keep the proposed set, whatever is measured later.",
        "change_sets",
        "Sort",
        "keep",
    ),
    ActionSpec(
        "set_join",
        "Join into a set",
        ("Ctrl+Alt+J",),
        "Make the selected pictures one set.",
        "change_sets",
        "Sort",
        "join",
    ),
    ActionSpec(
        "set_part",
        "Take out of the set",
        ("Ctrl+Alt+U",),
        "Take the selected pictures out of their sets.",
        "change_sets",
        "Sort",
        "part",
    ),
    ActionSpec(
        "set_proposed",
        "Sets as proposed",
        ("Ctrl+Alt+R",),
        "Undo joining and taking out; use the proposed sets.",
        "change_sets",
        "Sort",
        "forget",
    ),
)
XMPS = (
    ActionSpec(
        "xmp_out",
        "Write XMP beside",
        ("Ctrl+Alt+X",),
        "Write rank, caption and keywords of the selected to NAME.xmp, for other programs.",
        "write_xmp",
        "Sort",
    ),
    ActionSpec(
        "xmp_in",
        "Read XMP",
        ("Ctrl+Shift+X",),
        "Read rank, caption and keywords of the selected from the NAME.xmp beside them.",
        "take_in_xmp",
        "Sort",
    ),
)
COMMANDS = (
    *MERGES,
    *XMPS,
    ActionSpec("sort_find", "Show only", ("Ctrl+F",), "By words, such as keep or rank3+.", "find", "Sort"),
    *SETS,
    ActionSpec(
        "sort_set",
        "Select the set",
        ("Ctrl+Shift+E",),
        "Select all pictures of the burst, bracket or pair of this one.",
        "choose_set",
        "Sort",
    ),
    ActionSpec(
        "sort_light",
        "Select the same light",
        ("Ctrl+Alt+E",),
        "Select all pictures taken in the same light.",
        "choose_light",
        "Sort",
    ),
)
