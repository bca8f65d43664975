// What every page needs: the token on htmx requests, and errors shown instead of lost.
export const token = () => document.querySelector('meta[name="csrf-token"]').content;

export function notice(message, grade = "bad") {
  const box = document.getElementById("notices");
  box.replaceChildren();
  const line = document.createElement("div");
  line.className = `notice ${grade}`;
  line.setAttribute("role", "alert");
  line.textContent = message;
  box.append(line);
}

document.addEventListener("htmx:configRequest", (event) => { event.detail.headers["X-CSRFToken"] = token();
  });

// An error answer carries its own notice (swapped out of band); the target keeps what it shows.
document.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.xhr.status >= 400) {
    event.detail.shouldSwap = true;
    event.detail.swapOverride = "none";
    window.scrollTo({ top: 0, behavior: "smooth" });
  }
});
const silent = () =>
  notice("The server does not answer. What you typed is still here; start it again with ./start.");
document.addEventListener("htmx:sendError", silent);
window.addEventListener("unhandledrejection", (event) => {
  if (event.reason instanceof TypeError && /fetch|network|load failed/i.test(event.reason.message)) {
    event.preventDefault(); silent(); }
});

// A file that is too large is refused before it is sent: nothing typed is lost to a failed upload.
document.addEventListener("submit", (event) => {
  for (const input of event.target.querySelectorAll("input[type=file][data-most]")) {
    const file = input.files[0], most = Number(input.dataset.most);
    if (file && file.size > most) {
      event.preventDefault();
      notice(`${file.name} holds ${(file.size / 1e6).toFixed(1)} MB; at most ${most / 1e6} MB are `
        + "accepted here. "
        + `Check that you chose the right file, or thin it out.`);
      window.scrollTo({ top: 0, behavior: "smooth" });
    }
  }
}, true);

document.querySelectorAll("[data-back]").forEach((link) => link.addEventListener("click", (event) => {
  if (history.length > 1) { event.preventDefault(); history.back(); }
}));
