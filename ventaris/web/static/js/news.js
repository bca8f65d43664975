// Says on every page when a run has ended, and on the desktop where a person has allowed it.
const BUSY = 4000, IDLE = 12000, STAYS = 30000, MOST = 3;
const box = document.getElementById("news"), title = document.title;
let since = "", next = 0;

function tell(run) {
  const words = `${run.cell}: ${run.state}`;
  if (document.hidden) document.title = `● ${words}`;
  if (document.hidden && window.Notification?.permission === "granted") {
    const note = new Notification(words, { body: run.campaign, tag: `run-${run.run}` });
    note.onclick = () => { window.focus(); location.assign(`/runs/${run.run}`); };
  }
  // Whoever looks at the run, its matrix or the queue sees it there.
  if ([`/runs/${run.run}`, run.home, "/queue"].includes(location.pathname)) return;
  const line = document.createElement("a");
  line.href = `/runs/${run.run}`;
  line.textContent = words;
  const of = document.createElement("span");
  of.className = "pale small";
  of.textContent = run.campaign;
  line.append(of);
  box.append(line);
  while (box.childElementCount > MOST) box.firstElementChild.remove();
  setTimeout(() => line.remove(), STAYS);
}

async function ask() {
  let wait = IDLE;
  try {
    const answer = await fetch(`/queue/news?since=${encodeURIComponent(since)}`);
    if (answer.ok) {
      const news = await answer.json();
      since = news.now;
      news.ended.forEach(tell);
      if (news.active) wait = BUSY;
    }
  } catch { /* The server is away; it is asked again. */ }
  next = setTimeout(ask, wait);
}
// Who has just started something waits for it.
document.addEventListener("htmx:afterRequest", (event) => {
  if (event.detail.requestConfig?.verb !== "post") return;
  clearTimeout(next);
  next = setTimeout(ask, BUSY / 4);
});

document.addEventListener("visibilitychange", () => { if (!document.hidden) document.title = title; });
const allow = document.getElementById("tell-me");
if (allow && window.Notification?.permission === "default") {
  allow.hidden = false;
  allow.addEventListener("click", async () => {
    allow.hidden = (await Notification.requestPermission()) !== "default";
  });
}
ask();
