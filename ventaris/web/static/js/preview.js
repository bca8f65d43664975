// The body of the run sheet in space, drawn anew when its shape changes; and the import of a surface as a
// further part.
import { BodyCanvas } from "./body_canvas.js";
import { token } from "./page.js";
import { addNamedRow } from "./rows.js";

const form = document.getElementById("sheet"), holder = document.getElementById("preview");
// Named surfaces stand out from the paper colour of the rest.
const PLAIN = "#D9D4C6", TINTS = ["#8FB3AD", "#E0B36A", "#B7A7CF", "#A9BF94", "#D3958B"];
const naming = document.getElementById("name-surface");
let canvas = null, waiting = 0, drawn = "";

async function show() {
  const body = new FormData(form);
  const mine = JSON.stringify([...body].filter(([name]) => name.startsWith("shape.") ||
    name.startsWith("domain.")));
  if (mine === drawn) return;
  drawn = mine;
  const answer = await fetch(holder.dataset.src, { method: "POST", body, headers: { "X-CSRFToken":
    token() } });
  if (!answer.ok) return;
  if (!canvas) { holder.replaceChildren(); canvas = new BodyCanvas(holder, { onPick: nameAt });
    window.bodyPreview = canvas; }
  await canvas.load(await answer.arrayBuffer());
  const named = canvas.data.named || [];
  for (const [name] of canvas.data.groups) canvas.tint(name, named.includes(name) ?
    TINTS[named.indexOf(name) % TINTS.length] : PLAIN);
  document.getElementById("named").textContent = named.length ? `Named: ${named.join(", ")}` : "";
  canvas.setGround(canvas.data.ground, canvas.data.moving);
  holder.dataset.ready = "1";
}

// With the button down, a click on the body names the smooth piece there.
function nameAt(hit) {
  if (!hit || naming.getAttribute("aria-pressed") !== "true") return;
  naming.setAttribute("aria-pressed", "false");
  const [x, y, z] = hit.at.map((v) => v.toPrecision(5));
  const row = addNamedRow(form, "shape.regions", "surface ", { x, y, z });
  row.dispatchEvent(new Event("change", { bubbles: true }));
  row.querySelector('[name$="[].name"]').focus();
}
naming.addEventListener("click", () => naming.setAttribute("aria-pressed",
  String(naming.getAttribute("aria-pressed") !== "true")));

form.addEventListener("change", () => { clearTimeout(waiting); waiting = setTimeout(show, 150); });
document.addEventListener("htmx:afterSettle", () => { clearTimeout(waiting); waiting = setTimeout(show, 50);
  });
document.querySelector("[data-import]")?.addEventListener("click", async (event) => {
  const file = document.getElementById("import-file").files[0], problem =
    document.getElementById("import-problem");
  problem.hidden = true;
  if (!file) { problem.hidden = false; problem.textContent =
    "Choose a surface file (STL, OBJ, PLY, GLB or STEP) first."; return; }
  const most = Number(document.getElementById("import-file").dataset.most);
  if (file.size > most) { problem.hidden = false; problem.textContent =
    `${file.name} holds ${(file.size / 1e6).toFixed(1)} MB; at most ${most / 1e6} MB are accepted here. `
      + `Simplify the surface first.`;
    return; }
  const body = new FormData();
  body.append("file", file);
  body.append("unit", document.getElementById("import-unit").value);
  event.target.disabled = true;
  try {
    const answer = await fetch(`${form.dataset.base}/import`, { method: "POST", body, headers: {
      "X-CSRFToken": token(), "X-Requested-With": "fetch" } });
    if (answer.ok) window.location.reload();
    else { problem.hidden = false; problem.textContent = await answer.json().then((said) => said.problem,
      () => "The import failed; nothing was changed. Try again."); }
  } finally { event.target.disabled = false; }
});
show();
