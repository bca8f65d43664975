// The test matrix: the quantity shown is kept in the address, selected cells survive refreshes.
const holder = document.getElementById("matrix");
const selected = new Set();

function refresh() {
  for (const box of holder.querySelectorAll("[data-run]")) box.checked = selected.has(box.dataset.run);
  const compare = holder.querySelector("[data-compare]"), curves = holder.querySelector("[data-curves]");
  if (compare) compare.disabled = selected.size < 2;
  if (curves) curves.disabled = selected.size < 1;
}

holder.addEventListener("change", (event) => {
  const box = event.target;
  if (box.matches("[data-run]")) {
    if (box.checked) selected.add(box.dataset.run); else selected.delete(box.dataset.run);
    refresh();
  } else if (box.matches("[data-show-select]")) {
    window.location.search = `?show=${encodeURIComponent(box.value)}`;
  }
});
holder.addEventListener("click", (event) => {
  const query = [...selected].map((id) => `run=${id}`).join("&");
  if (event.target.closest("[data-compare]")) window.location.href =
    `/campaigns/${holder.dataset.campaign}/compare?${query}`;
  if (event.target.closest("[data-curves]")) window.location.href =
    `/campaigns/${holder.dataset.campaign}/curves?${query}`;
});
document.addEventListener("htmx:afterSettle", refresh);
refresh();
