"""Look and finish on the Desk: looks compared and chosen, the show's finish typed, noise and shake of a recording."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.helpers.looks import cube_file, faded
from tests.helpers.pages import add, picture_mean, reading, settled, steps, until

pytestmark = pytest.mark.shots("12A-1", "21A-1", "23A-1")


@pytest.fixture(autouse=True)
def plain_show(api):
    """The show's finish is as it was afterwards: it is in force on all shots."""
    yield
    production = api.get("/day").json()["production"]
    plain = {"steps": [{"id": "finish", "values": {"kind": "primary"}}]}
    order = {"correction": plain, "base": production["correction"], "change": "as it was"}
    api.put(f"/levels/show/{production['id']}", json=order).raise_for_status()


def of_show(api) -> list[dict]:
    return api.get("/day").json()["production"]["correction"]["steps"]


def type_into(page: Page, name: str, text: str) -> None:
    field = page.get_by_role("spinbutton", name=name, exact=True)
    field.focus()
    page.keyboard.type(text)
    page.keyboard.press("Enter")
    settled(page)


def test_looks_are_compared_and_one_is_chosen(desk, api, shot_named, tmp_path):
    api.post(f"/shots/{shot_named('21A-1')['id']}/keep", json={"frame": 12, "as_reference": True})
    page = desk("12A-1")
    page.keyboard.press("Shift+K")
    expect(page.get_by_role("alert")).to_contain_text("A look stands at the family or the show")
    page.get_by_role("button", name="show", exact=True).click()
    page.keyboard.press("Shift+K")
    sheet = page.get_by_role("dialog")
    expect(sheet.get_by_role("article")).to_have_count(3)
    expect(sheet.get_by_text("Quire Lane paper")).to_be_visible()
    bad = tmp_path / "cut.cube"
    bad.write_text("LUT_3D_SIZE 9\n0 0 0\n")
    sheet.get_by_label("a look's file").set_input_files(bad)
    expect(sheet.get_by_role("alert")).to_contain_text("cut.cube: not a readable look")
    sheet.get_by_label("a look's file").set_input_files(cube_file(tmp_path / "evening rec709.cube", faded, size=17))
    card = sheet.get_by_role("article").filter(has_text="evening rec709")
    expect(card.get_by_role("img")).to_be_visible()
    expect(card).to_contain_text("off its line")
    sheet.get_by_role("button", name="references").click()
    expect(card.get_by_role("img", name="Yard, overcast under evening rec709")).to_be_visible()
    before = picture_mean(page)
    sheet.get_by_role("button", name="this frame").click()
    expect(card.get_by_role("img")).to_be_visible()
    card.get_by_role("button", name="choose").click()
    settled(page)
    look = of_show(api)[1]["values"]
    assert (look["name"], look["takes"], look["strength"]) == ("evening rec709", "output:rec709", 1)
    full = picture_mean(page)
    assert full != before
    type_into(page, "Strength", "50")
    half = picture_mean(page)
    assert all(min(a, b) < h < max(a, b) for a, h, b in zip(before, half, full, strict=True))
    assert of_show(api)[1]["values"]["strength"] == 0.5
    page.get_by_label("what the look takes").select_option(label="ACEScg, linear light")
    settled(page)
    expect(page.locator(".warned")).to_contain_text("space")
    page.keyboard.press("Control+z")
    settled(page)
    until(page, lambda: of_show(api)[1]["values"]["takes"] == "output:rec709")


def test_the_finish_is_typed_measured_and_switched(desk, api):
    page = desk("12A-1")
    page.get_by_role("button", name="show", exact=True).click()
    settled(page)
    highs, plain = reading(page, 2), picture_mean(page)
    add(page, "vignette")
    type_into(page, "Outside", "-3")
    until(page, lambda: reading(page, 2) < highs - 1)
    dark = picture_mean(page)
    assert sum(dark) < sum(plain) - 5
    page.get_by_role("switch", name="apply vignette").click()
    settled(page)
    until(page, lambda: abs(reading(page, 2) - highs) < 0.3)
    add(page, "grain")
    type_into(page, "At half", "12")
    assert abs(reading(page, 2) - highs) < 0.3
    grainy = pixels(page)
    page.keyboard.press("ArrowRight")
    settled(page)
    page.keyboard.press("ArrowLeft")
    settled(page)
    assert pixels(page) == grainy
    assert [step["values"]["kind"] for step in of_show(api)] == ["primary", "vignette", "grain"]


def pixels(page: Page) -> list[int]:
    """Some pixels of the picture as the page shows it."""
    return page.evaluate(
        """() => {
          const c = document.querySelector('.frame canvas');
          return [...c.getContext('2d').getImageData(c.width / 2, c.height / 2, 20, 4).data];
        }"""
    )


def test_noise_is_told_and_a_shaken_picture_is_steadied(desk, shot_named):
    page = desk("23A-1")
    add(page, "denoise")
    expect(page.get_by_text(re.compile(r"Noise of luma and chroma here: .* before, .* after"))).to_be_visible()
    add(page, "steady picture")
    page.get_by_role("button", name="find the camera’s motion").click()
    expect(page.get_by_text(re.compile(r"\d\.\d % of the width is lost"))).to_be_visible()
    settled(page)
    values = steps(shot_named("23A-1"))[2]["values"]
    assert values["path"]["frames"] == shot_named("23A-1")["clip"]["frames"]
    steadied = picture_mean(page)
    type_into(page, "Motion kept", "100")
    assert picture_mean(page) != steadied
    expect(page.get_by_text("0.0 % of the width is lost")).to_be_visible()
