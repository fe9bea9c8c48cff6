import type { ButtonHTMLAttributes } from "react";

type Look = "main" | "plain" | "quiet";
const LOOKS: Record<Look, string> = {
  main: "bg-heron text-on-heron font-semibold px-4 py-1.5 rounded-md disabled:opacity-45",
  plain: "border border-rule bg-card px-3 py-1 rounded-md hover:border-heron disabled:opacity-45",
  quiet: "text-heron font-medium hover:underline disabled:opacity-45",
};

export function Button({
  look = "plain",
  className = "",
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { look?: Look }) {
  return <button type="button" className={`${LOOKS[look]} ${className}`} {...rest} />;
}
