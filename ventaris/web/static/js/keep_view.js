// A view is kept for all runs of its campaign: its name and what is shown go to the laboratory.
// form: with a field `name`; said: where the answer stands; now(): the view as plain values.
export function keeps(form, said, run, now) {
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    const body = new FormData(form);
    body.set("view", JSON.stringify(now()));
    const answer = await (await fetch(`/runs/${run}/views`, { method: "POST", body })).json();
    said.textContent = answer.problem || "Kept. ";
    if (!answer.gallery) return;
    const link = document.createElement("a");
    link.href = answer.gallery;
    link.textContent = "See it for every run";
    said.append(link);
  });
}
