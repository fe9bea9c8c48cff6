/** Day or dusk, and the tokens' values for canvases that cannot read CSS. */
import { create } from "zustand";

export type Theme = "day" | "dusk";
const KEY = "odd-heron-theme";

const stored = (): Theme => (localStorage.getItem(KEY) === "dusk" ? "dusk" : "day");
const show = (theme: Theme): void => {
  document.documentElement.dataset.theme = theme;
  localStorage.setItem(KEY, theme);
};
show(stored());

export const useTheme = create<{ theme: Theme; toggle: () => void }>((set, get) => ({
  theme: stored(),
  toggle: () => {
    const theme = get().theme === "day" ? "dusk" : "day";
    show(theme);
    set({ theme });
  },
}));

export const color = (token: string): string =>
  getComputedStyle(document.documentElement).getPropertyValue(`--${token}`).trim();
