import { Link } from "@tanstack/react-router";
import { type ReactNode, isValidElement } from "react";
import Markdown, { type Components } from "react-markdown";
import gfm from "remark-gfm";
import { type Page, anchorOf } from "./pages";

/** The words of what is rendered. */
const words = (node: ReactNode): string =>
  typeof node === "string" || typeof node === "number"
    ? String(node)
    : Array.isArray(node)
      ? node.map((n) => words(n as ReactNode)).join("")
      : isValidElement<{ children?: ReactNode }>(node)
        ? words(node.props.children)
        : "";

const heading =
  (Tag: "h1" | "h2" | "h3", look: string) =>
  ({ children }: { children?: ReactNode }) => (
    <Tag id={anchorOf(words(children))} className={look}>
      {children}
    </Tag>
  );

const PARTS: Components = {
  h1: heading("h1", "mb-3 text-[20px] font-semibold"),
  h2: heading("h2", "mb-1.5 mt-6 text-[15px] font-semibold"),
  h3: heading("h3", "mb-1 mt-4 font-semibold"),
  p: ({ children }) => <p className="my-2 leading-relaxed">{children}</p>,
  ul: ({ children }) => <ul className="my-2 list-disc space-y-1 pl-5">{children}</ul>,
  ol: ({ children }) => <ol className="my-2 list-decimal space-y-1 pl-5">{children}</ol>,
  pre: ({ children }) => (
    <pre
      tabIndex={0}
      className="num my-3 overflow-x-auto rounded-md border border-rule bg-paper px-3 py-2 text-[12px] leading-relaxed"
    >
      {children}
    </pre>
  ),
  code: ({ children }) => <code className="num text-[12px]">{children}</code>,
  table: ({ children }) => (
    <div tabIndex={0} role="region" aria-label="Table" className="my-3 overflow-x-auto">
      <table className="w-full border-collapse text-left">{children}</table>
    </div>
  ),
  th: ({ children }) => (
    <th className="border-b border-rule py-1 pr-4 align-bottom font-medium text-ink2">
      {children}
    </th>
  ),
  td: ({ children }) => <td className="border-b border-faint py-1 pr-4 align-top">{children}</td>,
  a: ({ href = "", children }) => {
    const found = /^([\w-]+)\.md(?:#(.*))?$/.exec(href);
    return found ? (
      <Link
        to="/guide/$page"
        params={{ page: found[1]! }}
        hash={found[2]}
        className="text-heron underline"
      >
        {children}
      </Link>
    ) : (
      <a href={href} className="text-heron underline">
        {children}
      </a>
    );
  },
};

/** A page of the manual. */
export function Article({ page }: { page: Page }) {
  return (
    <article>
      <Markdown remarkPlugins={[gfm]} components={PARTS}>
        {page.text}
      </Markdown>
    </article>
  );
}
