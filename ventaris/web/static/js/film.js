// What a picture shows, moment by moment, as a film to take away.
import { saveBytes } from "./save.js";

const HOLD = 100;

const pause = (milliseconds) => new Promise((done) => setTimeout(done, milliseconds));
// The picture has come to the screen, however busy the machine; a page that is not seen paints nothing.
const frame = () => Promise.race([new Promise(requestAnimationFrame), pause(1000)]);
async function painted() { await frame(); await frame(); }

// canvas: what is filmed; count: how many moments; show(k): makes the picture of one; bar: how far it is.
export async function film(canvas, count, show, bar) {
  const chunks = [], recorder = new MediaRecorder(canvas.captureStream(), { mimeType: "video/webm" });
  recorder.ondataavailable = (event) => chunks.push(event.data);
  const ended = new Promise((done) => { recorder.onstop = done; });
  bar.hidden = false;
  // Fetched first: while it is filmed, nothing is waited for.
  for (let k = 0; k < count; k += 1) { await show(k); bar.value = k / (2 * count); }
  recorder.start();
  for (let k = 0; k < count; k += 1) {
    await show(k);
    await painted();
    bar.value = 0.5 + k / (2 * count);
    await pause(HOLD);
  }
  recorder.stop();
  await ended;
  bar.hidden = true;
  saveBytes(chunks, "video/webm", "flow.webm");
}
