"""Walk the real window through its main views and write their pictures: ``python -m tools.shots``."""

import sys
from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QApplication

from matiz.recipe.colour import Peg
from matiz.recipe.mending import Fill, Heal
from matiz.recipe.paths import added
from matiz.recipe.places import Bright, Ellipse, Place, Ramp, Zones
from matiz.recipe.toning import Contrast
from matiz.recipe.tree import Rows
from matiz.ui.frame.settle import settle
from matiz.ui.frame.window import Window
from matiz.ui.kit.application import application
from matiz.work.session import Session
from matiz_simcam.shoot import make_demo, missing_shots


def walk(window: Window, keep: Callable[[str], None]) -> None:
    """Every main view in turn; `keep(name)` takes its picture."""
    pictures = {path.stem: path for path in window.session.pictures}

    def open_at(stem: str, station) -> None:
        window.session.open_picture(pictures[stem])
        window.go_to(station)
        settle(window)

    open_at("CORVA_0031", window.stations.light)
    window.sharpest.rank(1140.0, 755.0, [pictures[f"CORVA_003{n}"] for n in range(1, 7)])
    settle(window)
    window.go_to(window.stations.sort)
    window.stations.sort.sheet.choose(pictures["CORVA_0036"])
    while not window.stations.sort.sheet.sheet.looking.is_done:
        settle(window)
    settle(window)
    keep("sort")
    open_at("CORVA_0011", window.stations.light)
    keep("light")
    open_at("CORVA_0053", window.stations.light)
    window.stations.light.map.setChecked(True)
    settle(window)
    keep("light-map")
    window.stations.light.map.setChecked(False)
    open_at("CORVA_0012", window.stations.light)
    window.show_tries()
    settle(window)
    keep("tries")
    window.show_tries()
    open_at("CORVA_0012", window.stations.tone)
    window.session.commit(
        [
            ("tone.exposure_EV", 0.6),
            ("tone.zones_EV", (0.5, 0.5, 0.6, 0.5, 0.2, 0.0, 0.0, -0.2, -0.4, 0.0, 0.0)),
            ("tone.contrast.middle_dB", 2.0),
            ("tone.haze_percent", 35.0),
        ],
        "Zones and haze",
    )
    settle(window)
    keep("tone")
    open_at("CORVA_0052", window.stations.tone)
    window.stations.tone.clip_view.setChecked(True)
    settle(window)
    keep("tone-clip-view")
    window.stations.tone.clip_view.setChecked(False)
    open_at("CORVA_0052", window.stations.mend)
    keep("mend")
    window.stations.mend.turn_to("Crop")
    window.session.commit([("mend.crop", (0.16, 0.12, 0.6, 0.4))], "Crop")
    settle(window)
    keep("mend-crop")
    window.session.undo()
    open_at("CORVA_0031", window.stations.mend)
    window.stations.mend.turn_to("Repair")
    outline = ((0.06, 0.5), (0.2, 0.5), (0.2, 0.6), (0.06, 0.6))
    repairs = [Heal(((0.14, 0.07),), radius_px=30.0, dx=0.1), Fill(outline, "on", 2.0, 6.0)]
    window.session.commit(added(window.session.recipe, [("mend.repairs", each) for each in repairs]), "Repairs")
    settle(window)
    window.stations.mend.repair.list.setCurrentRow(0)
    settle(window)
    keep("mend-repair")
    window.session.undo()
    open_at("CORVA_0015", window.stations.mend)
    window.stations.mend.turn_to("Dust")
    window.stations.mend.dust.walk.go_on()
    window.stations.mend.dust.show_dust.setChecked(True)
    settle(window)
    keep("mend-dust")
    window.stations.mend.dust.show_dust.setChecked(False)
    window.set_zoom(0.0)
    window.stations.mend.turn_to("Level")
    walk_colour(window, keep, lambda stem: open_at(stem, window.stations.colour))
    walk_places(window, keep, lambda stem: open_at(stem, window.stations.places))
    walk_detail(window, keep, lambda stem: open_at(stem, window.stations.detail))
    walk_finish(window, keep, lambda stem: open_at(stem, window.stations.finish))
    open_at("CORVA_0052", window.stations.deliver)
    keep("deliver")
    window.stations.deliver.turn_to("Paper")
    window.stations.deliver.on_paper.see("paper")
    window.stations.deliver.on_paper.differences.setChecked(True)
    settle(window)
    keep("deliver-paper")


def walk_colour(window: Window, keep: Callable[[str], None], open_at: Callable[[str], None]) -> None:
    """Pegs on the hue strip, two areas matched, black and white."""
    colour = window.stations.colour
    open_at("CORVA_0031")
    pegs = [Peg(at_deg=42.0, hue_deg=-8.0, chroma=1.25), Peg(at_deg=118.0, reach_deg=40.0, chroma=0.7, lightness=-4.0)]
    window.session.commit(added(window.session.recipe, [("colour.pegs", each) for each in pegs]), "Hue pegs")
    settle(window)
    keep("colour")
    window.session.undo()
    open_at("CORVA_0012")
    colour.turn_to("Match")
    for area in ((500, 200, 200, 150), (2600, 250, 200, 150)):
        colour.match.put(area)
    settle(window)
    colour.match.make(halfway=False)
    settle(window)
    keep("colour-match")
    window.session.undo()
    colour.turn_to("Black and white")
    sky = Peg(at_deg=285.0, reach_deg=50.0, lightness=-14.0)
    settings = [("colour.black_and_white", "on"), ("colour.filter", "orange")]
    window.session.commit([*settings, *added(window.session.recipe, [("colour.pegs", sky)])], "Black and white")
    settle(window)
    keep("colour-black-and-white")
    window.session.undo()
    colour.turn_to("Hues")


def walk_places(window: Window, keep: Callable[[str], None], open_at: Callable[[str], None]) -> None:
    """A ramp that is held, and what draws the eye."""
    places = window.stations.places
    open_at("CORVA_0012")
    sky = Rows([("m1", Ramp(x=0.48, y=0.02, x2=0.5, y2=0.24)), ("m2", Zones(join="subtract", low=0.0, high=4.0))])
    heaps = Rows([("m1", Ellipse(x=0.66, y=0.3, w=0.5, h=0.2, turn_deg=-3.0)), ("m2", Bright(join="intersect"))])
    made = [
        Place(name="Sky", mask=sky, exposure_EV=-0.6, warmer_mired=-12.0),
        Place(name="Salt", mask=heaps, exposure_EV=0.4, contrast=Contrast(middle_dB=3.0)),
    ]
    window.session.commit(added(window.session.recipe, [("places", each) for each in made]), "Places")
    places.choose(window.session.recipe.places.order[0])
    places.choose_part("m1")
    settle(window)
    keep("places")
    open_at("CORVA_0053")
    places.turn_to("Attention")
    window.session.seeker.ask()
    settle(window)
    keep("places-attention")
    places.turn_to("Where")


def walk_detail(window: Window, keep: Callable[[str], None], open_at: Callable[[str], None]) -> None:
    """Noise taken out of a frame at ISO 3200, and sharpened, at 1:1."""
    open_at("CORVA_0034")
    window.session.commit(
        [
            ("detail.noise.strength_percent", 70.0),
            ("detail.noise.colour_percent", 95.0),
            ("detail.sharpen.amount_percent", 120.0),
        ],
        "Noise and sharpness",
    )
    window.view.look_at(1500.0, 1050.0, 1.0)
    settle(window)
    keep("detail")
    window.session.undo()
    window.set_zoom(0.0)


def walk_finish(window: Window, keep: Callable[[str], None], open_at: Callable[[str], None]) -> None:
    """Edges darker than they should be, with what is found."""
    open_at("CORVA_0015")
    window.session.commit(
        [
            ("finish.fall_off.depth_EV", 1.6),
            ("finish.fall_off.lift_EV", 0.2),
            ("finish.signature.text", "A. Corva"),
        ],
        "Edges and signature",
    )
    settle(window)
    keep("finish")
    window.session.undo()


def main(arguments: list[str]) -> int:
    """Arguments: the demo folder, the folder for the pictures."""
    if len(arguments) != 2 or any(text.startswith("-") for text in arguments):
        print("usage: python -m tools.shots DEMO_FOLDER PICTURES_FOLDER", file=sys.stderr)
        return 2
    demo, out = Path(arguments[0]), Path(arguments[1])
    if demo.resolve() == out.resolve():
        print(f"shots: {demo} is where the pictures go: name another folder for the demo shoot", file=sys.stderr)
        return 2
    if missing_shots(demo):
        for done, count, name in make_demo(demo):
            print(f"  {done} of {count}  {name}", flush=True)
    for sidecar in demo.glob("*.matiz.json"):
        sidecar.unlink()
    out.mkdir(parents=True, exist_ok=True)
    application()
    window = Window(Session())
    window.show()
    window.open_paths([demo])
    settle(window)
    window.header.end()

    def keep(name: str) -> None:
        # a dialogue is a window of its own
        # the same however long the walk took
        window.header.rest()
        window.header.clock.setText("0:24 of 1:00")
        dialogue = QApplication.activeModalWidget()
        (dialogue or window).grab().save(str(out / f"{name}.png"))
        print(f"{out / name}.png")

    walk(window, keep)
    window.close()
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
