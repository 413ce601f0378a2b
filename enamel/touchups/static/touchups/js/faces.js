// faces.js: the piece's faces: show them on the picture, pick, add, move, turn, resize and remove them.
import { showBoxes } from "../../web/js/shared/boxes.js";
import { drawBox } from "../../web/js/shared/draw-box.js";
import { USUAL_PX_PER_MM, pxPerMm } from "../../web/js/shared/screen.js";
import { send } from "../../web/js/shared/send.js";

const STEP = 0.04; // of the face, for each press

export function editFaces(root, bench, mask) {
  let editing = null; // number in `known`, or null
  let known = [];
  const list = () => root.querySelector("[data-face-list]");
  const read = () => {
    known = [...list().querySelectorAll("[data-face]")].map((entry) => ({
      box: entry.dataset.box.split(",").map(Number),
      turn: Number(entry.dataset.turn),
      form: JSON.parse(entry.dataset.face),
    }));
  };
  const boxes = () => known.map(({ box, turn }, place) => ({ box, turn, current: place === editing }));
  const pick = (box) => {
    const place = known.findIndex((face) => face.box === box);
    if (place >= 0) mask(known[place]);
  };
  read();
  const draw = showBoxes(bench, boxes, pick);

  const edit = (place) => {
    editing = place;
    const editor = list().querySelector("[data-face-editor]");
    editor.hidden = place === null;
    for (const [number, button] of [...list().querySelectorAll("[data-edit-face]")].entries())
      button.setAttribute("aria-pressed", number === place);
    draw();
  };
  const keep = async (faces) => {
    const body = new FormData(root);
    if (faces) body.set("faces", JSON.stringify(faces.map(({ box, turn }) => [...box, turn])));
    else body.set("as-found", "");
    const { answer, refused } = await send(root.dataset.facesUrl, body);
    const wrong = root.querySelector("[data-mask-wrong]");
    wrong.hidden = !refused;
    wrong.textContent = refused ?? "";
    if (!answer) return;
    const fresh = document.createElement("template");
    fresh.innerHTML = await answer.text();
    list().replaceWith(fresh.content.querySelector("[data-face-list]"));
    read();
    listen();
    edit(null);
    root.querySelector("[value=everyone]").disabled = known.length === 0;
  };
  const change = ([x, y, size, turn]) => {
    const face = known[editing];
    const by = Math.max(1, Math.round(STEP * face.box[2]));
    const [left, top, width, height] = face.box;
    const tall = (by * height) / width;
    face.box = [
      left + by * (x - size / 2),
      top + by * y - (tall * size) / 2,
      width + by * size,
      height + tall * size,
    ].map(Math.round);
    face.turn += turn;
    draw();
  };
  const listen = () => {
    showAtPrintSize(list());
    [...list().querySelectorAll("[data-face]")].forEach((entry, place) => {
      entry.querySelector("[data-mask-face]").addEventListener("click", () => mask(known[place]));
      entry.querySelector("[data-edit-face]").addEventListener("click", () => edit(editing === place ? null : place));
    });
    for (const button of list().querySelectorAll("[data-face-by]")) {
      button.addEventListener("click", () => change(button.dataset.faceBy.split(",").map(Number)));
    }
    list()
      .querySelector("[data-face-keep]")
      .addEventListener("click", () => keep(known));
    list()
      .querySelector("[data-face-remove]")
      .addEventListener("click", () => keep(known.filter((_, place) => place !== editing)));
    list()
      .querySelector("[data-face-cancel]")
      .addEventListener("click", () => {
        read();
        edit(null);
      });
    list()
      .querySelector("[data-faces-as-found]")
      ?.addEventListener("click", () => keep(null));
    let fresh = null;
    drawBox(
      list().querySelector("[data-add-face]"),
      bench,
      (box) => {
        if (!fresh) known.push((fresh = { box, turn: 0, form: null }));
        fresh.box = box;
        draw();
      },
      () => {
        if (fresh) keep(known);
      },
    );
  };
  listen();
  dragged(bench, () => known[editing], draw);
}

// at print size on a calibrated or a usual screen; larger faces as large as fits
function showAtPrintSize(list) {
  const perMm = pxPerMm() ?? USUAL_PX_PER_MM;
  for (const image of list.querySelectorAll("[data-print-mm]"))
    image.style.height = `${Math.round(image.dataset.printMm * perMm)}px`;
}

// drag the face that is being corrected
function dragged({ viewer }, face, draw) {
  const svg = document.querySelector("[data-regions]");
  const item = viewer.world.getItemAt(0);
  let last = null;
  const at = (event) => {
    const bounds = svg.getBoundingClientRect();
    return item.viewerElementToImageCoordinates(
      new window.OpenSeadragon.Point(event.clientX - bounds.left, event.clientY - bounds.top),
    );
  };
  svg.addEventListener("pointerdown", (event) => {
    if (!face() || event.target.getAttribute("aria-current") !== "true") return;
    event.stopPropagation();
    svg.setPointerCapture(event.pointerId);
    last = at(event);
  });
  svg.addEventListener("pointermove", (event) => {
    if (!last) return;
    const here = at(event);
    const chosen = face();
    chosen.box = [
      Math.round(chosen.box[0] + here.x - last.x),
      Math.round(chosen.box[1] + here.y - last.y),
      chosen.box[2],
      chosen.box[3],
    ];
    last = here;
    draw();
  });
  svg.addEventListener("pointerup", () => {
    last = null;
  });
}
