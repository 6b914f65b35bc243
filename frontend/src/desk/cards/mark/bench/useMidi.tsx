import { useEffect, useRef, useState } from "react";
import { notify } from "../../../state/desk";

/** Notes from a MIDI keyboard, where the browser has it and the user allows it: what to say of it, or to press. */
export function useMidi(onNote: (key: number, strength: number) => void) {
  const [state, setState] = useState<"off" | "on">("off");
  const handler = useRef(onNote);
  useEffect(() => {
    handler.current = onNote;
  });
  if (!("requestMIDIAccess" in navigator)) return null;
  const connect = () =>
    navigator.requestMIDIAccess().then(
      (access) => {
        for (const input of access.inputs.values()) {
          input.onmidimessage = ({ data }) => {
            const [status = 0, key = 0, strength = 0] = data ?? [];
            if ((status & 0xf0) === 0x90 && strength > 0) handler.current(key, strength);
          };
        }
        setState("on");
      },
      () => notify("The browser does not allow MIDI here. The computer keyboard still plays."),
    );
  return state === "on" ? (
    <span>MIDI plays too.</span>
  ) : (
    <button type="button" className="underline" onClick={() => void connect()}>
      use MIDI
    </button>
  );
}
