// Shows only the fields that belong to the chosen source.
for (const form of document.querySelectorAll("[data-choices]")) {
  const source = form.querySelector("#source");
  const update = () => {
    const chosen = source.value.replace(" ", "-");
    for (const part of form.querySelectorAll("[data-for]")) part.hidden =
      !part.dataset.for.split(" ").includes(chosen);
  };
  source.addEventListener("change", update);
  update();
}
