// A number in a unit is put into a field: with the unit only where the field shows another one.
export function fill(field, value, unit) {
  const shown = field.parentElement.querySelector(".unit")?.textContent;
  field.value = !shown || shown === unit ? value : `${value} ${unit}`;
  field.dispatchEvent(new Event("input", { bubbles: true }));
}

// Rows of the run sheet that the program adds for a person: filled in (lengths in metres), and with a name
// that is not taken.
export function addNamedRow(form, path, stem, values) {
  const rows = form.querySelector(`[data-rows="${path}"]`), list = rows.querySelector("[data-list]");
  list.append(rows.querySelector("template").content.cloneNode(true));
  const row = list.lastElementChild, field = (name) => row.querySelector(`[name$="[].${name}"]`);
  const taken = [...list.querySelectorAll('[name$="[].name"]')].map((input) => input.value);
  let number = list.children.length;
  while (taken.includes(`${stem}${number}`)) number += 1;
  field("name").value = `${stem}${number}`;
  for (const [name, value] of Object.entries(values)) fill(field(name), value, "m");
  return row;
}
