"""Take the pictures in docs/screenshots from a running demo: `bin/start`, then this.

Fires what it needs on the demo pieces first, unless it is there; the second run is quick.
"""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import PIL.Image
import pyvips
from selenium import webdriver
from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.support.wait import WebDriverWait

from tools.chrome import VAR, address, scripts_begun, start_chromium

ROOT = Path(__file__).resolve().parent.parent
SHOTS = ROOT / "docs" / "screenshots"
PATIENCE = 900


class Camera:
    """A browser on the demo that opens pages and takes pictures."""

    def __init__(self) -> None:
        self.driver = start_chromium()
        self.address = address()

    def go(self, path: str) -> None:
        self.driver.get(self.address + path)

    def click(self, words: str) -> None:
        self.settle()
        path = f"//*[self::a or self::button][contains(normalize-space(.), '{words}')]"
        self.driver.find_element(By.XPATH, path).click()

    def settle(self) -> None:
        """Wait until the page's scripts have begun."""
        self.until(scripts_begun)

    def fill(self, name: str, value: object) -> None:
        field = self.driver.find_element(By.NAME, name)
        field.clear()
        field.send_keys(str(value))

    def put(self, name: str, value: object) -> None:
        """Set a field, also in a closed group."""
        self.driver.execute_script(
            "const [field] = document.getElementsByName(arguments[0]); field.value = arguments[1];"
            "field.dispatchEvent(new Event('input', { bubbles: true }))",
            name,
            value,
        )

    def until(self, condition: Callable[[webdriver.Chrome], object]) -> None:
        """Wait for a condition, also across changes of page."""
        WebDriverWait(self.driver, PATIENCE, 0.5, [StaleElementReferenceException]).until(condition)

    def wait(self, selector: str) -> None:
        self.until(lambda driver: driver.find_elements(By.CSS_SELECTOR, selector))

    def wait_for_tiles(self, least: int) -> None:
        """Until so many tiles are to be seen on the picture."""
        counted = "return Number(document.querySelector('[data-live-tiles]')?.dataset.tiles ?? 0)"
        self.until(lambda driver: driver.execute_script(counted) >= least)

    def take(self, name: str) -> None:
        time.sleep(1.5)  # tiles fade in
        shot = pyvips.Image.new_from_buffer(self.driver.get_screenshot_as_png(), "")
        # 256 colours are enough for a screenshot, in a third of the bytes, which the repository keeps for
        # ever
        shot.pngsave(str(SHOTS / f"{name}.png"), palette=True, Q=100, effort=10)
        print(name)

    def open(self, title: str) -> None:
        self.go("/")
        self.click(title)
        self.wait("[data-module~='bench'][data-open], [data-module='firing']")

    def task(self, name: str) -> None:
        """Open another task of the same piece."""
        self.driver.get(f"{self.driver.current_url.split('?')[0]}?task={name}")
        self.wait("[data-module~='bench'][data-open]")

    def press(self, selector: str) -> None:
        self.wait(selector)
        self.settle()
        self.driver.find_element(By.CSS_SELECTOR, selector).click()

    def show(self, selector: str) -> None:
        element = self.driver.find_element(By.CSS_SELECTOR, selector)
        self.driver.execute_script("arguments[0].scrollIntoView()", element)

    def take_swatches(self) -> None:
        """Take a sheet of the tea car over strength and seed."""
        self.open("In the tea car")
        self.task("coat")
        self.fill("tile_width", 256)
        self.fill("tile_height", 256)
        self.driver.execute_script("document.querySelector('#try').open = true")
        self.wait("[data-suggested] button")
        self.fill("window", "760 500 384 300")
        for name, value in (("vary", "strength"), ("vary_too", "seed")):
            self.driver.execute_script(f"document.querySelector('[name={name}]').value = '{value}'")
        self.fill("values", "0.15 0.3 0.6")
        self.fill("values_too", "7 19")
        self.click("Make swatches")
        self.until(
            lambda driver: (
                len(driver.find_elements(By.CSS_SELECTOR, "[data-cell] img")) == 7
                and not driver.find_elements(By.CSS_SELECTOR, "[data-words]")
            )
        )
        self.driver.find_elements(By.CSS_SELECTOR, "[data-cell]")[2].send_keys("v")
        self.take("swatches")

    def take_offer(self) -> None:
        """Take an offer of the bureau for a coat of the tea car."""
        self.open("In the tea car")
        self.task("coat")
        self.put("prompt", "copper, linen, wood")
        self.click("Send it out")
        self.wait("button[value='order']")
        self.take("offer")
        self.press("button[value='leave']")

    def take_mending(self) -> None:
        """Take a masked face, a crowd's faces before and after, and the faces of the base inlaid."""
        self.open("The stationmaster")
        self.task("touch-up")
        self.press("[data-mask-face]")
        self.press("[data-tool='eraser']")
        mask = self.driver.find_element(By.CSS_SELECTOR, "[data-mask]")
        ActionChains(self.driver).move_to_element_with_offset(mask, -40, -60).click_and_hold() \
            .move_by_offset(60, 20).move_by_offset(30, 60).release().perform()  # fmt: skip
        self.take("touch-up")
        self.open("The crowded platform")
        if self.layers == 1:
            self.task("touch-up")
            for name, value in (("seeds", 1), ("strengths", "0.6"), ("hold", 0.4)):
                self.fill(name, value)
            self.click("Mend all faces")
            self.until(
                lambda driver: (
                    driver.find_elements(By.CSS_SELECTOR, "[data-after]")
                    and not driver.find_elements(By.CSS_SELECTOR, "[data-words]")
                )
            )
            for key in "yyny":
                self.driver.switch_to.active_element.send_keys(key)
                time.sleep(0.5)
            self.take("candidates")
            self.press("[data-lay]")
            self.wait("[data-wipe]")
        self.task("inlay")
        self.press("[data-add]")
        self.click("Its faces")
        self.until(
            lambda driver: (
                "pixel by pixel" in driver.find_element(By.CSS_SELECTOR, "[data-preview-says]").text
            )
        )
        self.take("inlay")

    def take_finish(self) -> None:
        """Take a finish of the stationmaster's newest layer, with automatic tone."""
        self.open("The stationmaster")
        self.task("finish")
        self.wait("[data-step='tone'] [data-unfold]")
        self.press("[data-step='tone'] [data-unfold]")
        for step in ("tone", "local_contrast", "sharpen"):
            self.driver.execute_script(
                "document.querySelector(`[data-step=${arguments[0]}] [data-automatic]`).click()",
                step,
            )
        self.until(
            lambda driver: (
                driver.find_element(By.CSS_SELECTOR, "[data-preview-says]").text
                and len(driver.find_elements(By.CSS_SELECTOR, "[data-reason]:not([hidden])")) == 3
            )
        )
        time.sleep(1)
        self.take("finish")

    def take_print_files(self) -> None:
        """Take a canvas over several sheets, a proof, and the shop's answer."""
        self.open("Night mail")
        self.task("print")
        self.put("paper", "Stretched canvas 400 × 600 mm")
        self.press("[data-turn]")
        self.press("[name='fit'][value='fill']")
        self.put("beyond", "edge")
        self.put("split", "A3")
        self.until(lambda driver: "8.75" in driver.find_element(By.TAG_NAME, "main").text)
        self.task("file")
        self.put("format", "pdf")
        self.tick("marks")
        self.until(lambda driver: ".pdf" in self.part("cost"))
        self.take("sheet")
        self.open("In the tea car")
        self.task("file")
        self.put("profile", "coated")
        self.press("button[data-look='proof']")
        for box in ("white", "gamut"):
            self.tick(box)
        time.sleep(4)
        self.take("proof")
        self.open("The stationmaster")
        self.task("print")
        self.put("width", "60 mm")
        self.put("height", "80 mm")
        self.put("bleed", "3 mm")
        self.press("[name='fit'][value='fill']")
        self.until(lambda driver: "60 × 80 mm" in driver.find_element(By.TAG_NAME, "main").text)
        self.task("file")
        link = "[data-print-file]:not([data-open]) a[href]"
        self.put("format", "pdf")
        self.put("profile", "coated")
        self.until(lambda driver: ".pdf" in self.part("cost"))
        self.click("Write the print file")
        self.wait(link)
        self.driver.execute_script(
            "const f = document.querySelector('[data-print-file]');"
            "f.querySelector('[name=paper]').value = 'satin'; f.querySelector('details button').click()"
        )
        self.wait("img[src*='proof']")
        self.take("shop")

    def tick(self, name: str) -> None:
        """Tick a box, also in a closed group."""
        self.driver.execute_script(
            "const [box] = document.getElementsByName(arguments[0]); box.checked = true;"
            "box.dispatchEvent(new Event('input', { bubbles: true }))",
            name,
        )

    def part(self, name: str) -> str:
        return self.driver.find_element(By.CSS_SELECTOR, f"[data-part='{name}']").text

    def take_comparisons(self) -> None:
        """Take comparisons of the signal lamp fired at low and high strength, and the checks' findings."""
        self.open("The signal lamp")
        gentle = {"factor": 2, "tile_width": 256, "tile_height": 256, "strength": 0.25, "seed": 7}
        hard = gentle | {
            "strength": 0.8,
            "seed": 19,
            "extra_noise": 0.06,
            "chroma": 1.25,
            "hold": 0.4,
        }
        for number, settings in enumerate((gentle, hard)):
            if self.layers == 1 + number:
                self.task("coat")
                for name, value in settings.items():
                    self.put(name, value)
                self.press("[data-part='fire'] button")
                self.wait("[data-wipe]")
                self.open("The signal lamp")
        self.open("The signal lamp")
        address = self.driver.current_url.split("?")[0]
        bands = self.driver.find_elements(By.CSS_SELECTOR, "svg[role='group'] a")
        base, *layers = (band.get_attribute("data-band") for band in bands)
        self.driver.get(f"{address}compare/?show={base},{layers[-1]}&way=side")
        self.wait("[data-module~='compare'][data-open][data-complete]")
        self.press("[data-all-boxes]")
        self.press("[data-step-finding='1']")
        self.take("compare-findings")

    def take_many_pieces(self) -> None:
        """Take the list with sixty pieces, of which fifty-four are deleted again."""
        self.go("/")
        with tempfile.TemporaryDirectory() as folder:
            files = parts_of_pictures(Path(folder), 54)
            field = self.driver.find_element(By.ID, "files")
            field.send_keys("\n".join(map(str, files)))
            self.click("Import")
            self.until(
                lambda driver: (
                    driver.find_element(By.TAG_NAME, "main").text.count("Keep") >= 60
                    or driver.find_element(By.CSS_SELECTOR, "[data-drop-done]").is_displayed()
                )
            )
        self.go("/?sort=title")
        self.until(
            lambda driver: not driver.find_elements(By.CSS_SELECTOR, "[data-module='ready']")
        )
        self.until(lambda driver: len(driver.find_elements(By.CSS_SELECTOR, "[data-open]")) >= 60)
        cards = self.driver.find_elements(By.CSS_SELECTOR, "[data-open]")
        for card, key in zip(cards, "yhyynhnyhyhn", strict=False):
            card.send_keys(key)
        self.driver.execute_script("arguments[0].focus(); window.scrollTo(0, 0)", cards[2])
        self.take("pieces")
        self.go("/?q=part")
        self.until(
            lambda driver: not driver.find_elements(By.CSS_SELECTOR, "[data-module='ready']")
        )
        unmarked = "[data-piece]:not([data-mark='drop']) [data-open]"
        for card in self.driver.find_elements(By.CSS_SELECTOR, unmarked):
            card.send_keys("n")
        self.until(lambda driver: not driver.find_elements(By.CSS_SELECTOR, unmarked))
        self.go("/")
        self.click("marked drop")
        self.click("Delete pieces")
        self.until(
            lambda driver: "recently deleted" in driver.find_element(By.TAG_NAME, "body").text
        )

    def take_batch(self) -> None:
        """Take a batch of the demo pieces, and the kiln meanwhile."""
        self.go("/kiln/")
        if not self.driver.find_elements(By.PARTIAL_LINK_TEXT, "Autumn posters"):
            self.go("/batches/")
            self.wait("[data-predicted] dl")
            self.fill("name", "Autumn posters")
            for name, chosen in (("schedule", "Gentle"), ("kind_drawing", "Flat art to a sign")):
                self.driver.execute_script(
                    "const [field] = document.getElementsByName(arguments[0]);"
                    "field.value = [...field.options].find((one) => one.text === arguments[1]).value",
                    name,
                    chosen,
                )
            self.click("Start")
            self.wait("[data-scrolls='pairs']")
            self.until(
                lambda driver: (
                    len(driver.find_elements(By.CSS_SELECTOR, "[data-focus^='pair-']")) > 2
                )
            )
            time.sleep(12)  # the next one shows its progress
            self.take("batch")
            self.go("/kiln/")
            self.take("kiln")

    def take_checkpoint(self) -> None:
        """Take a coat with an own checkpoint, a structure guide and an adapter. The networks are tiny and
        random: only the page matters.
        """
        from diffusers import UNet2DConditionModel

        from tests import checkpoints

        place = VAR / "checkpoints"
        if not place.exists():
            whole = checkpoints.built(place / "night-mail")
            network = UNet2DConditionModel.from_pretrained(whole / "unet")
            checkpoints.guide(place / "edges", network)
            checkpoints.adapter(place / "copper-line.safetensors", network)
        for name in ("night-mail", "edges", "copper-line.safetensors"):
            self.go("/models/")
            if self.driver.find_elements(By.ID, name.split(".")[0]):
                continue
            self.put("waiting", name)
            self.click("Test and add")
            self.wait(f"[id='{name.split('.')[0]}']")
        self.open("In the tea car")
        self.task("coat")
        self.put("model", "night-mail")
        self.put("structure_guide", "edges")
        self.put("adapters", "copper-line 0.8")
        self.put("hold", 0.7)
        self.wait("[data-abilities~='holding-guide']")
        self.show("[data-field='model']")
        self.take("checkpoint")

    @property
    def layers(self) -> int:
        return len(self.driver.find_elements(By.CSS_SELECTOR, "svg[role='group'] a"))


def parts_of_pictures(folder: Path, count: int) -> list[Path]:
    """Write square parts of the demo's originals as a folder of candidates."""
    originals = sorted((ROOT / "demo" / "pictures").glob("*.truth.jpg"))
    made = []
    for number in range(count):
        with PIL.Image.open(originals[number % len(originals)]) as image:
            side = min(image.size) // 3
            left = (number * 7919) % (image.width - side)
            top = (number * 104729) % (image.height - side)
            part = image.crop((left, top, left + side, top + side)).resize((512, 512))
        name = f"{originals[number % len(originals)].name.split('.')[0]} part {number // 6 + 1}.png"
        made.append(folder / name)
        part.save(made[-1])
    return made


def main() -> None:
    SHOTS.mkdir(parents=True, exist_ok=True)
    camera = Camera()
    camera.go("/sign-in/")
    camera.click("Enter the Kestrel Vale print shop")
    camera.open("The stationmaster")
    if camera.layers == 1:
        camera.click("Fire this coat")
        camera.wait_for_tiles(6)
        camera.take("firing")
        camera.wait("[data-wipe]")
        camera.open("The stationmaster")
    camera.open("The stationmaster")
    camera.click("100 %")
    camera.take("wipe")
    camera.open("In the tea car")
    camera.task("print")
    camera.fill("width", "30 cm")
    camera.fill("height", "30 cm")
    camera.fill("bleed", "5 mm")
    camera.press("[name='fit'][value='fill']")
    camera.press("[data-thirds]")
    camera.wait(".print-edge")
    camera.take("print")
    camera.open("The crowded platform")
    camera.task("print")
    camera.click("Use these coats")
    camera.wait("[data-module~='bench'][data-open]")
    camera.press("[data-show='grid']")
    camera.press("[data-show='rulers']")
    camera.show("[data-field='strength']")
    camera.fill("strength", 0.28)
    camera.wait(".was")
    camera.take("workspace")
    camera.take_mending()
    camera.take_offer()
    camera.take_finish()
    camera.take_print_files()
    camera.take_comparisons()
    camera.go("/models/")
    camera.until(
        lambda driver: not driver.find_elements(By.CSS_SELECTOR, "[data-module='refresh']")
    )
    camera.take("models")
    camera.take_swatches()
    camera.take_many_pieces()
    camera.take_batch()
    camera.take_checkpoint()
    camera.driver.quit()


if __name__ == "__main__":
    main()
