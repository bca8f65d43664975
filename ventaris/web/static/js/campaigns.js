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
