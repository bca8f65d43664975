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
