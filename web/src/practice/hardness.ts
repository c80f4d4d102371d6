/** How hard a task shall be, where somebody says so. */
export const HARDNESS = [
  { value: "1", label: "Easier" },
  { value: "2", label: "Usual" },
  { value: "3", label: "Harder" },
];
