import type { ButtonHTMLAttributes } from "react";

interface Props extends ButtonHTMLAttributes<HTMLButtonElement> {
  readonly tone?: "plain" | "strong" | "quiet";
}

const TONES = {
  plain: "border border-rule bg-sheet hover:border-ink",
  strong: "border border-ink bg-ink font-semibold text-on-ink hover:opacity-90",
  quiet: "hover:underline",
};

/** The one button: plain, strong for what a card is about, quiet where a line of text will do. */
export function Button({ tone = "plain", className = "", ...rest }: Props) {
  return (
    <button
      type="button"
      className={`inline-flex items-center justify-center gap-1.5 rounded-(--radius) px-2.5 py-1 leading-normal whitespace-nowrap disabled:text-soft disabled:opacity-60 ${TONES[tone]} ${className}`}
      {...rest}
    />
  );
}
