// The first page: cards whose name or question holds every word that is typed stay.
const find = document.getElementById("find");
find?.addEventListener("input", () => {
  const words = find.value.toLowerCase().split(/\s+/).filter(Boolean);
  const cards = [...document.querySelectorAll(".card-sheet")];
  for (const card of cards) {
    const text = card.querySelector(".words").textContent.toLowerCase();
    card.hidden = !words.every((word) => text.includes(word));
  }
  const left = cards.filter((card) => !card.hidden).length;
  document.getElementById("found").textContent = words.length ? `${left} of ${cards.length}` : "";
});

// Cards in another order; the choice is kept for the next visit.
const sort = document.getElementById("sort"), inOrder = [...document.querySelectorAll(".card-sheet")];
const ORDERS = { new: () => 0, name: (a, b) => a.dataset.name.localeCompare(b.dataset.name),
  active: (a, b) => b.dataset.active - a.dataset.active };
function order() {
  const sorted = [...inOrder].sort(ORDERS[sort.value] ?? ORDERS.new);
  document.querySelector(".cards").append(...sorted);
  localStorage.setItem("ventaris-order-of-campaigns", sort.value);
}
if (sort) {
  sort.value = localStorage.getItem("ventaris-order-of-campaigns") ?? "new";
  sort.addEventListener("change", order);
  if (sort.value !== "new") order();
}

// A file begins a campaign without a name of its own; dropped anywhere on the page it is sent at once.
const begin = document.getElementById("begin"), file = document.getElementById("begin-file");
const unnamed = () => { document.getElementById("name").required = !file.files.length; };
file.addEventListener("change", unnamed);
unnamed();
const holdsFile = (event) => [...(event.dataTransfer?.types ?? [])].includes("Files");
document.addEventListener("dragover", (event) => {
  if (!holdsFile(event)) return;
  event.preventDefault();
  begin.classList.add("dropping");
});
document.addEventListener("dragleave", (event) => {
  if (!event.relatedTarget) begin.classList.remove("dropping");
});
document.addEventListener("drop", (event) => {
  if (!holdsFile(event)) return;
  event.preventDefault();
  begin.classList.remove("dropping");
  file.files = event.dataTransfer.files;
  unnamed();
  begin.requestSubmit();
});
