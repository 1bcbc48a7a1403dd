const KEY = "skarlo-theme";

/** The chosen theme: light, dark, or as the system has it. */
export function theme(): string {
  try {
    return localStorage.getItem(KEY) ?? "system";
  } catch {
    return "system";
  }
}

export function chooseTheme(choice: string) {
  try {
    localStorage.setItem(KEY, choice);
  } catch {
    // A browser that keeps nothing still shows the choice until it is closed.
  }
  apply(choice);
}

function apply(choice: string) {
  if (choice === "system") delete document.documentElement.dataset.theme;
  else document.documentElement.dataset.theme = choice;
}

apply(theme());
