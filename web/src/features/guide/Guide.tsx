import { Link, useParams } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { Header } from "../../app/Header";
import { Article } from "./Article";
import { CONTENTS, PAGES, search } from "./pages";

/** The manual: contents and search on the left, a page on the right. */
export function Guide() {
  const { page: name } = useParams({ from: "/guide/$page" });
  const page = PAGES[name];
  const [text, setText] = useState("");
  const found = text.trim() === "" ? null : search(text);
  useEffect(() => {
    const to = decodeURIComponent(location.hash.slice(1));
    const target = to ? document.getElementById(to) : document.querySelector("[data-guide]");
    target?.scrollIntoView();
  }, [name]);
  return (
    <div className="flex h-full flex-col">
      <Header title="Guide" />
      <div className="flex min-h-0 flex-1">
        <nav
          aria-label="Contents"
          className="w-64 shrink-0 overflow-y-auto border-r border-rule bg-card px-4 py-4"
        >
          <input
            type="search"
            aria-label="Search the guide"
            placeholder="Search"
            value={text}
            onChange={(e) => setText(e.target.value)}
            className="mb-3 w-full rounded border border-rule bg-paper px-2 py-1"
          />
          {found ? (
            <ul className="space-y-1.5">
              {found.map((s) => (
                <li key={`${s.page} ${s.heading}`}>
                  <Link
                    to="/guide/$page"
                    params={{ page: s.page }}
                    hash={s.anchor || undefined}
                    className="block rounded px-1 hover:bg-heron-soft"
                  >
                    <span className="text-heron">{s.heading}</span>
                    {s.heading !== s.title && (
                      <span className="block text-[11.500px] text-ink2">{s.title}</span>
                    )}
                  </Link>
                </li>
              ))}
              {found.length === 0 && <li className="text-ink2">Nothing found.</li>}
            </ul>
          ) : (
            CONTENTS.map(({ group, pages }) => (
              <section key={group} className="mb-3">
                <h2 className="text-[11.500px] font-semibold uppercase tracking-[0.09em] text-ink2">
                  {group}
                </h2>
                <ul>
                  {pages.map((p) => (
                    <li key={p.name}>
                      <Link
                        to="/guide/$page"
                        params={{ page: p.name }}
                        className="block rounded px-1 py-0.5 hover:bg-heron-soft data-[status=active]:font-semibold"
                      >
                        {p.title}
                      </Link>
                    </li>
                  ))}
                </ul>
              </section>
            ))
          )}
        </nav>
        <main className="flex-1 overflow-y-auto px-10 py-7" tabIndex={0} aria-label="Page">
          <div data-guide className="max-w-3xl">
            {page ? (
              <Article page={page} />
            ) : (
              <p className="text-ink2">
                There is no page “{name}”. The contents list all there are.
              </p>
            )}
          </div>
        </main>
      </div>
    </div>
  );
}
