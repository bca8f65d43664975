// What is taken away: an address, or bytes made here, under a name.
export function save(address, name) {
  const link = document.createElement("a");
  link.href = address;
  link.download = name;
  link.click();
}

// Rows of numbers, nothing where one is not known, under their heads, as CSV.
export function saveTable(heads, rows, name) {
  const line = (row) => row.map((v) => (v === null ? "" : Number(v.toPrecision(7)))).join(",");
  saveBytes([`${[heads.join(","), ...rows.map(line)].join("\n")}\n`], "text/csv", name);
}

export function saveBytes(parts, type, name) {
  const address = URL.createObjectURL(new Blob(parts, { type }));
  save(address, name);
  URL.revokeObjectURL(address);
}
