"""Every command of the window: where it stands, its words, its keys, its help, and what it needs.

Menus, shortcuts, the list of keys, the bar of jobs and the finder are made from this list.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Command:
    """One command.

    Attributes
    ----------
    menu, group : the menu it stands in (``Frame/Stars``: within another), and there the group; groups are
        set apart by a line.
    name : what it is called in code. words : what it is called in the window.
    needs : names of conditions (:mod:`irvane.desktop.conditions`) that must hold; the first that does not
        is told as the reason why it is greyed.
    page : the page of the handbook that tells of it.
    """

    menu: str
    group: str
    name: str
    words: str
    keys: str = ""
    help: str = ""
    needs: tuple[str, ...] = ()
    page: str = ""


#: Menus in their order.
MENUS = ("File", "Edit", "Frame", "Proof", "Bench", "Judge", "Help")
_FRAME, _PROOF, _SEVERAL = ("frame",), ("frame", "proof"), ("several",)


def _file() -> tuple[Command, ...]:
    c = Command
    return (
        c("File", "in", "open", "Open files …", "Ctrl+O", "Raw files, TIFF, JPEG, PNG, OpenEXR, Radiance "
          "HDR. They are never written to.", page="bring-in"),
        c("File", "in", "open_folder", "Open a folder …", "Ctrl+Shift+O", "All pictures in it and below it.",
          page="bring-in"),
        c("File", "in", "copy_card", "Copy a card …", "Ctrl+I", "Verified by checksum, renamed by a "
          "pattern; nothing is deleted.", page="bring-in"),
        c("File", "in", "as_it_was", "Open as it was", "Ctrl+B", "The frames, panes, zoom and probe that "
          "stood here when the window was closed.", ("last",), page="compare"),
        c("File", "kept", "keep_bench", "Keep this comparison …", "Ctrl+D", "Panes, proofs, zoom and "
          "probe, under a name.", _FRAME, page="compare"),
        c("File", "kept", "kept", "Kept comparisons …", "Ctrl+Shift+E", "Show one again, or remove it.",
          page="compare"),
        c("File", "out", "write", "Write this proof", "Ctrl+Return", "The chosen pane's proof, as the "
          "station Finish says.", _FRAME, page="write"),
        c("File", "out", "queue_it", "Write the selected frames by the queue", "Ctrl+Shift+Return",
          "Each with its present proof, to the chosen destinations; editing goes on meanwhile.", _FRAME,
          page="write"),
        c("File", "out", "destinations", "Destinations …", "Ctrl+Shift+K", "Named ways to write: format, "
          "size, sharpening, names.", page="write"),
        c("File", "out", "queue", "Queue", "Ctrl+K", "What waits, what is being written, how long it "
          "takes.", page="write"),
        c("File", "end", "close_item", "Close this frame", "Ctrl+W", "The file and its proofs stay.", _FRAME),
        c("File", "end", "preferences", "Preferences …", "Ctrl+,", "What new frames begin with, units, "
          "memory, the grey around the pictures.", page="screen"),
        c("File", "end", "quit", "Quit", "Ctrl+Q"),
        c("Edit", "back", "undo", "Undo", "Ctrl+Z", "Takes back the last change.", ("undo",)),
        c("Edit", "back", "redo", "Redo", "Ctrl+Shift+Z", "Does again what was taken back.", ("redo",)),
        c("Edit", "settings", "copy_settings", "Copy settings", "Ctrl+C", "Those of the chosen proof, to be "
          "pasted into other frames.", _PROOF, page="copy-settings"),
        c("Edit", "settings", "paste_settings", "Paste settings …", "Ctrl+V", "What was copied, into the "
          "frames that are selected: stations are chosen, and what would change is shown first.",
          ("frame", "copied"), page="copy-settings"),
        c("Edit", "settings", "copy_to", "Copy settings to other frames …", "J", "Chosen stations of this "
          "proof; what would change there is shown first.", ("frame", "proof", "others"),
          page="copy-settings"),
        c("Edit", "settings", "settings_from", "Take settings from a file …", "", "As a new proof: the "
          "settings beside another picture, or a few written by hand (JSON).", _FRAME, page="copy-settings"),
        c("Edit", "presets", "presets", "Presets …", "Shift+J", "Apply, save, bring in and take out "
          "presets.", _PROOF, page="copy-settings"),
        c("Edit", "presets", "preset_strip", "All presets as pictures of this frame", "Shift+F",
          "The whole frame under every preset, shipped and your own; click on the one you want.", _PROOF,
          page="copy-settings"),
        c("Edit", "untouched", "station_back", "Set the open station back", "Shift+Backspace", "As an "
          "untouched proof has it; the other stations stay.", ("frame", "proof", "station")),
        c("Edit", "untouched", "reset", "Back to an untouched proof", "Ctrl+Backspace", "All stations.",
          _PROOF),
        c("Edit", "find", "find", "Find …", "Ctrl+F", "Commands, settings, looks, presets, frames, "
          "destinations and pages of the handbook, by the words of the trade."),
    )  # fmt: skip


def _frame() -> tuple[Command, ...]:
    c = Command
    return (
        c("Frame", "go", "sheet", "Contact sheet", "Shift+S", "All frames at once: sort, filter, mark, "
          "choose. Again: back to the bench.", ("any",), page="choose"),
        c("Frame", "go", "previous", "Previous frame", "W", "", ("any",)),
        c("Frame", "go", "next", "Next frame", "S", "", ("any",)),
        c("Frame", "mark", "keep", "Keep", "]",
          "The chosen pane's frame, or what is selected on the sheet; goes on to "
          "the next frame.",
          ("meant",), page="choose"),
        c("Frame", "mark", "reject", "Reject", "[",
          "A mark beside the file, which stays. Goes on to the next "
          "frame.", ("meant",), page="choose"),
        c("Frame", "mark", "unmark", "Take the mark away", "\\", "", ("meant",), page="choose"),
        *(
            c("Frame/Stars", "stars", f"stars_{n}", f"{n} star{'' if n == 1 else 's'}" if n else "No stars",
              f"Alt+{n}", "", ("meant",), page="choose")
            for n in range(6)
        ),
        c("Frame", "mark", "ratings", "Ratings for other programs (XMP)", "", "Marks and stars of what is "
          "selected, beside the frames as XMP; what such files hold besides stays, their rating is replaced.",
          ("meant",), page="choose"),
        c("Frame", "choose", "cull", "Choose among alike frames", "Shift+C", "Those selected, or those like "
          "this one, side by side on one spot; each is kept or rejected, then the next follow.", _FRAME,
          page="choose"),
        c("Frame", "choose", "shot", "What the file says of this shot", "", "Camera, lens, focus, drive, "
          "bracket and more, the maker's notes among it; each value with its tag.",
          _FRAME, page="choose"),
        c("Frame", "automatic", "automatic", "Automatic for the selected frames …", "Shift+A", "Noise "
          "removal, sharpening, lens and light by what is measured in each frame; shown before it is done.",
          ("meant",), page="automatic"),
        c("Frame", "automatic", "decisions", "What automatic decided, and why", "", "For the frames that "
          "automatic looked at.", ("decided",), page="automatic"),
        c("Frame/Merge", "kinds", "merge", "HDR of its bracket", "M",
          "The bracket of the chosen frame at once: "
          "scene-linear light of all stops, toned afterwards.", ("frame", "bracket"), page="merge"),
        c("Frame/Merge", "kinds", "merge_hdr", "HDR …", "",
          "Frames of one scene in exposure steps become light of "
          "many stops, each pixel weighted by its noise. The selected frames, or the set of the chosen one.",
          ("mergeable",), page="merge"),
        c("Frame/Merge", "kinds", "merge_fusion", "Exposure fusion …", "", "Blends the bracket without tone "
          "mapping: each frame gives the detail it has; natural at once.", ("mergeable",), page="merge"),
        c("Frame/Merge", "kinds", "merge_join", "Join halves …", "",
          "The bright parts of short exposures and the "
          "dark parts of long ones, along soft borders.", ("mergeable",), page="merge"),
        c("Frame/Merge", "kinds", "merge_mean", "Mean of a burst …", "",
          "A burst of equal frames: noise falls "
          "with the root of their number.", ("mergeable",), page="merge"),
        c("Frame/Merge", "kinds", "merge_panorama", "Panorama …", "", "Positions that overlap are stitched; "
          "brackets among them are merged on the way.", ("mergeable",), page="panorama"),
        c("Frame/Merge", "again", "merge_how", "Merge this again otherwise …", "Shift+G",
          "A merge: with another "
          "reference, strength of ghost removal, places by hand. Frames: every kind to choose from.",
          ("mergeable",), page="merge"),
        c("Frame/Merge", "sets", "together", "These frames are one set", "",
          "Where the exposures or times did "
          "not tell.", _SEVERAL, page="merge"),
        c("Frame/Merge", "sets", "apart", "Take this frame out of its set", "",
          "It stands alone then; undo puts "
          "it back.", ("frame", "set"), page="merge"),
        c("Frame/Merge", "sets", "plan", "Plan a bracket …", "",
          "Shutter times, which of them a hand can hold, "
          "how many are needed.", page="merge"),
    )  # fmt: skip


def _proof() -> tuple[Command, ...]:
    c = Command
    return (
        c("Proof", "proofs", "new_proof", "New proof from this one", "N", "It costs nothing; the caption "
          "says in what it differs.", _FRAME, page="compare"),
        c("Proof", "proofs", "previous_proof", "Previous proof", "A", "", _FRAME),
        c("Proof", "proofs", "next_proof", "Next proof", "D", "", _FRAME),
        c("Proof", "proofs", "rename_proof", "Rename this proof …", "F2", "", _PROOF),
        c("Proof", "proofs", "renew_proof", "Renew: the same settings by the newest methods", "Shift+N",
          "As a new proof; the old one keeps its look beside it.", _PROOF),
        c("Proof", "proofs", "remove_proof", "Remove this proof", "Ctrl+Delete", "Undo brings it back.",
          _PROOF),
        c("Proof", "bare", "bare", "Bare frame in this pane", "B", "Without any automatic and without "
          "settings; again: the proof.", _FRAME, page="compare"),
        c("Proof", "crop", "frame_it", "Crop, straighten …", "Shift+W", "The whole frame with its crop; "
          "lines drawn along what should be level, upright or straight.", _PROOF, page="crop"),
        c("Proof", "crop", "turn_left", "Quarter turn to the left", ",", "", _PROOF, page="crop"),
        c("Proof", "crop", "turn_right", "Quarter turn to the right", ".", "", _PROOF, page="crop"),
        c("Proof", "crop", "mirror", "Mirror", "Shift+M", "Left becomes right.", _PROOF, page="crop"),
        c("Proof", "regions", "regions", "Regions …", "Shift+T", "Parts of the picture with settings of "
          "their own: gradients, brush, tones, hues, what is in focus, subject, background.", _PROOF,
          page="regions"),
        c("Proof", "regions", "region_switch", "The chosen region off, or on again", "Shift+D", "Without "
          "one, all of them.", ("frame", "proof", "regions"), page="regions"),
        c("Proof", "help", "suggest", "Suggest exposure and recovery", "L", "From how this frame's light is "
          "spread; it says why.", _PROOF, page="light"),
        c("Proof", "help", "grey", "Pick a grey spot", "G", "Click on something that should be neutral.",
          _PROOF, page="colour"),
        c("Proof", "help", "lens", "Lens profile …", "Shift+L", "Chosen by name from the lens database.",
          _PROOF, page="lens"),
        c("Proof", "help", "strip", "Test strip of the setting in hand", "F", "One crop at several values "
          "side by side; click on the one you want.", _PROOF, page="compare"),
    )  # fmt: skip


def _bench() -> tuple[Command, ...]:
    c = Command
    return (
        c("Bench", "panes", "more_panes", "One pane more", "I", "Up to six.", ("room",), page="compare"),
        c("Bench", "panes", "fewer_panes", "One pane less", "O", "", ("spare",), page="compare"),
        c("Bench", "panes", "pane", "Choose the next pane", "T", "The controls act on the chosen one."),
        c("Bench", "panes", "swap", "Swap this pane and the next", "X"),
        c("Bench", "lay", "arrange", "One pane, or all side by side", "Z"),
        c("Bench", "lay", "divide", "Dividing line", "V", "Two panes as one picture; drag the line.",
          page="compare"),
        c("Bench", "lay", "difference", "Difference, amplified", "U", "Of the chosen pane and the next.",
          page="compare"),
        c("Bench", "together", "align", "Align frames of one scene", "Shift+E", "Frames that differ in "
          "place, size, turn or crop are laid on each other.", page="compare"),
        c("Bench", "together", "free", "Each pane with its own zoom and place", "Shift+V", "Again: all where "
          "the chosen one is."),
        c("Bench", "together", "match", "Equal brightness", "E", "For viewing only; the captions say by how "
          "much.", page="compare"),
        c("Bench/Zoom", "zoom", "actual", "100 %, and back to fit", "R",
          "One picture pixel on one pixel of the "
          "screen."),
        c("Bench/Zoom", "zoom", "closer", "Closer", "+"),
        c("Bench/Zoom", "zoom", "farther", "Farther", "-"),
        c("Bench/Zoom", "zoom", "loupe", "Loupe in all panes", "C", "At the pointer.", page="compare"),
        c("Bench", "look", "next_look", "Next look", "K", "Other ways to see all panes; the results stay as "
          "they are.", page="looks"),
        c("Bench", "look", "previous_look", "Previous look", "Shift+K", "", page="looks"),
        c("Bench", "look", "plain_look", "Back to the picture", "Y", "", page="looks"),
        c("Bench", "marks", "marks", "Hatch what is clipped", "H", "Stripes where light or shadow is lost, "
          "dots where colours do not fit the output space.", page="light"),
        c("Bench", "marks", "limits", "Limits of the hatching …", "Shift+H", "", page="light"),
        c("Bench/Screen", "screen", "monitor", "Monitor profile …", "Ctrl+M",
          "An ICC profile that describes your "
          "screen; pictures are shown through it.", page="screen"),
        c("Bench/Screen", "screen", "medium", "Soft proof …", "Shift+P",
          "All panes as on a paper, by its ICC "
          "profile; no file changes.", page="screen"),
        c("Bench/Screen", "screen", "surround", "Next grey around the pictures", "Shift+R", "",
          page="screen"),
        c("Bench/Screen", "screen", "full", "Full screen, everything else hidden", "F11"),
        c("Bench", "waits", "deblur_waits", "Deblur only when asked", "",
          "For slow machines and long series: "
          "panes show proofs without their deblurring and say that it waits. Files are always deblurred.",
          page="acutance"),
        c("Bench", "waits", "deblur_now", "Deblur the chosen pane now", "Shift+Y", "Where deblurring waits.",
          ("frame", "waits"), page="acutance"),
        c("Judge", "compare", "compare", "Compare the selected frames", "Ctrl+E", "Side by side at 100 % on "
          "the spot that tells most.", _SEVERAL, page="compare"),
        c("Judge", "compare", "before", "Compare with and without the open station", "Shift+B", "The pane "
          "beside shows the same proof without it.", _PROOF, page="compare"),
        c("Judge", "compare", "blink_timed", "Blink by itself", "Shift+Q", "The panes change places every "
          "second."),
        c("Judge", "spots", "next_spot", "Next judging spot", "Space", "Texture, edge, shadow, even place, "
          "lettering …", _FRAME, page="figures"),
        c("Judge", "spots", "previous_spot", "Previous judging spot", "Shift+Space", "", _FRAME,
          page="figures"),
        c("Judge", "spots", "probe", "Probe to the middle", "P", "The small square that the figures are read "
          "in.", _FRAME, page="figures"),
        c("Judge", "decide", "decide", "Decide pair by pair", "Ctrl+J", "Which proof is better, blind if "
          "wished; then a tally.", _FRAME, page="decide"),
        c("Judge", "keep", "report", "Report of the panes …", "Ctrl+R", "Pictures, figures, plots and "
          "settings as HTML, PDF and CSV.", _FRAME, page="decide"),
        c("Judge", "keep", "ladder", "Ladder of exposures …", "Ctrl+L", "How far a camera can be pushed.",
          page="ladder"),
        c("Help", "read", "handbook", "Handbook", "Shift+F1", "One page a job, every setting explained; "
          "searchable, without a network."),
        c("Help", "read", "path", "Seven steps through the job", "", "Done by hand; each notices when it is "
          "done."),
        c("Help", "read", "keys", "All keys", "F1"),
        c("Help", "demo", "demo", "Show the demo pictures", "Ctrl+Shift+D", "Made once, in about two "
          "minutes."),
        c("Help", "about", "messages", "Earlier messages", "", "What the window said, newest first."),
        c("Help", "about", "report_fault", "Copy a report of a fault", "", "Versions and the end of the log, "
          "without pictures, places, names and serial numbers, to be pasted."),
        c("Help", "about", "about", "About Irvane, and licences"),
    )  # fmt: skip


COMMANDS = (*_file(), *_frame(), *_proof(), *_bench())
#: Keys that are held, or belong to a widget; listed for completeness.
HELD = (
    ("Hold Q", "See the other pane in the same place"),
    ("1 … 7", "Open a station of the line; again closes it"),
    ("Arrow keys", "Move the picture; with Alt the probe, with Shift the dividing line (up, down: turn)"),
    ("Drag a caption", "Swap two panes"),
    ("Drag with Shift", "Move a slider finely"),
    ("Double click on a name", "Back to what a new proof has"),
)
