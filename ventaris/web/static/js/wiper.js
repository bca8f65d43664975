// One picture laid over the other: a line that is moved says where one ends and the other begins.
export function wiper() {
  const pair = document.getElementById("pair"), range = document.getElementById("wipe");
  const line = document.getElementById("wipe-line");
  const place = () => { pair.style.setProperty("--wipe", `${range.value}%`); };
  range.addEventListener("input", place);
  line.addEventListener("pointerdown", (event) => { line.setPointerCapture(event.pointerId);
    event.preventDefault(); });
  line.addEventListener("pointermove", (event) => {
    if (!line.hasPointerCapture(event.pointerId)) return;
    const box = pair.getBoundingClientRect();
    range.value = Math.max(0, Math.min(100, 100 * (event.clientX - box.left) / box.width));
    place();
  });
  place();
  return (shown) => {
    pair.classList.toggle("wiped", shown);
    for (const part of [range, line]) part.hidden = !shown;
  };
}
