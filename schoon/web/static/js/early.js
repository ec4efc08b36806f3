// A hand may be quicker than the page: what it changed before the script ran is done now.

function changed(field) {
  if (field.type === 'file') return field.files.length > 0;
  if (field.type === 'checkbox' || field.type === 'radio') return field.checked !== field.defaultChecked;
  if (field.tagName === 'SELECT') {
    const first = [...field.options].findIndex((option) => option.defaultSelected);
    return field.options.length > 0 && field.selectedIndex !== Math.max(0, first);
  }
  return field.value !== field.defaultValue;
}

// Fields that browsers fill in again after a reload are not to be among them: they carry autocomplete="off".
export function catchUp(...fields) {
  for (const field of fields) {
    if (!field || !changed(field)) continue;
    for (const kind of ['input', 'change']) field.dispatchEvent(new Event(kind, { bubbles: true }));
  }
}
