/**
 * Where the focus is while a job is open. Single keys act while the desk itself has it, or something in it that is no field; so it is
 * never nowhere: what was clicked gives it back to the desk, and what goes away, or cannot be used for a while, gives it back too.
 */
import { type RefObject, useEffect } from "react";

const CLICKED = "button, [role=radio], input[type=checkbox], summary";
const LOOK_EVERY_MS = 200;

export function useDeskFocus(page: RefObject<HTMLElement | null>): void {
  useEffect(() => {
    const desk = page.current;
    if (!desk) return undefined;
    /** What had the focus by key, and lost it because it could not be used any more. */
    let came: HTMLElement | null = null;
    let last: HTMLElement | null = null;
    const isNowhere = () => document.activeElement === null || document.activeElement === document.body;
    const onClick = (event: MouseEvent) => {
      const target = event.target instanceof Element ? event.target.closest<HTMLElement>(CLICKED) : null;
      if (event.detail > 0 && target && !target.closest("[role=dialog], [role=menu]") && document.activeElement === target) desk.focus({ preventScroll: true });
    };
    const onFocusIn = ({ target }: FocusEvent) => {
      last = target instanceof HTMLElement && target !== desk ? target : null;
    };
    const look = () => {
      if (document.querySelector("[role=dialog], [role=menu]")) return;
      if (isNowhere()) {
        came = last?.matches("button") ? last : null;
        desk.focus({ preventScroll: true });
      } else if (came && document.activeElement === desk && came.isConnected && !came.matches(":disabled")) {
        came.focus();
        came = null;
      } else if (document.activeElement !== desk) came = null;
    };
    const onFocusOut = () => requestAnimationFrame(look);
    if (isNowhere()) desk.focus({ preventScroll: true });
    document.addEventListener("click", onClick);
    document.addEventListener("focusin", onFocusIn);
    document.addEventListener("focusout", onFocusOut);
    const timer = setInterval(look, LOOK_EVERY_MS); // what is removed while it has the focus says nothing
    return () => {
      clearInterval(timer);
      document.removeEventListener("click", onClick);
      document.removeEventListener("focusin", onFocusIn);
      document.removeEventListener("focusout", onFocusOut);
    };
  }, [page]);
}
