// What is taken away: an address, or bytes made here, under a name.
export function save(address, name) {
  const link = document.createElement("a");
  link.href = address;
  link.download = name;
  link.click();
}

export function saveBytes(parts, type, name) {
  const address = URL.createObjectURL(new Blob(parts, { type }));
  save(address, name);
  URL.revokeObjectURL(address);
}
