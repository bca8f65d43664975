// A button that plays moments one after another until it is pressed again.
const HOLD = 90;

// count: how many moments; next(): the number of the first one; show(k): makes the picture of one. Answers
// what ends the playing.
export function plays(button, count, next, show) {
  let playing = 0;
  button.addEventListener("click", async () => {
    const mine = playing = playing ? 0 : Date.now();
    button.setAttribute("aria-pressed", String(Boolean(playing)));
    for (let k = next(); playing && playing === mine; k = (k + 1) % count) {
      await show(k);
      await new Promise((done) => setTimeout(done, HOLD));
    }
  });
  return () => { playing = 0; button.setAttribute("aria-pressed", "false"); };
}
