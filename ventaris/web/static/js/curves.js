// The curves page: the choice is in the address, the chart and the CSV come from it.
import { draw } from "./charts.js";

const root = document.getElementById("curves"), form = document.getElementById("choice");
let data = null;

async function show() {
  const p = new URLSearchParams(new FormData(form));
  history.replaceState(null, "", `?${p}`);
  const cut = document.getElementById("cut"), wrong = document.getElementById("wrong");
  if (cut) cut.hidden = !form.elements.what.value.startsWith("cut_");
  const answer = await fetch(`/campaigns/${root.dataset.campaign}/curves.json?${p}`);
  wrong.hidden = answer.ok;
  if (!answer.ok) {
    const page = new DOMParser().parseFromString(await answer.text(), "text/html");
    wrong.textContent = page.querySelector(".notice")?.textContent.trim() || "The curve could not be read.";
    return;
  }
  data = await answer.json();
  draw("chart", data);
  showDeviations(data.deviations ?? []);
  document.getElementById("chart").dataset.ready = "1";
}

// Computed less measured, a line for each run and measured quantity.
function showDeviations(rows) {
  const table = document.getElementById("deviations");
  table.hidden = !rows.length;
  table.tBodies[0].replaceChildren(...rows.map((row) => {
    const line = document.createElement("tr"), digits = (v) => v.toPrecision(3).replace("-", "−");
    for (const words of [row.run, row.series, row.points, digits(row.rms), digits(row.mean),
      `${digits(row.largest)} at ${digits(row.at)}`,
      row.within === null ? "–" : `${Math.round(100 * row.within)} %`]) {
      line.append(Object.assign(document.createElement("td"), { textContent: words }));
    }
    return line;
  }));
}

function csv() {
  const rows = ["curve,x,y"];
  for (const t of data.traces) t.x.forEach((x, k) =>
    rows.push(`"${t.name.replaceAll('"', '""')}",${x},${t.y[k]}`));
  return new Blob([rows.join("\n") + "\n"], { type: "text/csv" });
}

document.addEventListener("click", (event) => {
  const kind = event.target.closest("[data-save]")?.dataset.save;
  if (!kind) return;
  if (kind === "csv") {
    const link = document.createElement("a");
    link.href = URL.createObjectURL(csv());
    link.download = `curves-${form.elements.what.value}.csv`;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 1000);
  } else window.Plotly.downloadImage("chart", { format: kind, width: 1100, height: 700, filename:
    `curves-${form.elements.what.value}` });
});
form.addEventListener("change", show);
form.addEventListener("submit", (event) => {
  event.preventDefault();
  show();
});
if (form) show();
