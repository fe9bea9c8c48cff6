/** The manual: Markdown pages that are built in, their order, and a search through their sections. */
import MiniSearch from "minisearch";

const FILES = import.meta.glob<string>("../../../../docs/guide/*.md", {
  query: "?raw",
  import: "default",
  eager: true,
});

/** Pages by group, in the order of the contents; what is not named here stands at the end. */
const ORDER: [group: string, names: string[]][] = [
  ["Begin", ["index", "first-antenna"]],
  ["Screens", ["sheet", "stage", "solve", "readout"]],
  ["Tasks", ["dipole", "patch", "horn", "line", "sphere", "particle", "cell"]],
  ["Reference", ["accuracy", "engines", "formulas", "formats", "keys", "glossary"]],
];

export interface Page {
  name: string;
  title: string;
  text: string;
}
interface Section {
  id: string;
  page: string;
  anchor: string;
  title: string;
  heading: string;
  text: string;
}

export type Found = Pick<Section, "page" | "anchor" | "title" | "heading">;
const MOST_FOUND = 12;

/** The identifier of a heading within its page. */
export const anchorOf = (heading: string): string =>
  heading
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, "-")
    .replace(/^-|-$/g, "");

const titleOf = (text: string): string => /^# (.*)$/m.exec(text)?.[1] ?? "";

export const PAGES: Record<string, Page> = Object.fromEntries(
  Object.entries(FILES).map(([path, text]) => {
    const name = path.split("/").at(-1)!.replace(/\.md$/, "");
    return [name, { name, title: titleOf(text), text: text.replace(/<!--[\s\S]*?-->\n?/g, "") }];
  }),
);

export const CONTENTS: { group: string; pages: Page[] }[] = ORDER.map(([group, names]) => ({
  group,
  pages: names.flatMap((n) => PAGES[n] ?? []),
})).filter((g) => g.pages.length > 0);

function sectionsOf(page: Page): Section[] {
  return page.text.split(/^(?=#{1,2} )/m).flatMap((part) => {
    const heading = /^#+ (.*)$/m.exec(part)?.[1] ?? page.title;
    const text = part.replace(/^#+ .*$/m, "").trim();
    return text
      ? [
          {
            id: `${page.name} ${heading}`,
            page: page.name,
            anchor: heading === page.title ? "" : anchorOf(heading),
            title: page.title,
            heading,
            text,
          },
        ]
      : [];
  });
}

let index: MiniSearch<Section> | null = null;

/** Sections that speak of something, best first. */
export function search(text: string): Found[] {
  if (index === null) {
    index = new MiniSearch<Section>({
      fields: ["heading", "title", "text"],
      storeFields: ["page", "anchor", "title", "heading"],
      searchOptions: { boost: { heading: 4, title: 2 }, prefix: true, fuzzy: 0.15 },
    });
    index.addAll(Object.values(PAGES).flatMap(sectionsOf));
  }
  return index.search(text).slice(0, MOST_FOUND) as unknown as Found[];
}
