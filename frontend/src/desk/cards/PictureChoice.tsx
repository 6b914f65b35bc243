import { useState, type ChangeEvent } from "react";
import { api } from "../../api/client";
import { Button } from "../../ui/Button";
import { fail } from "../state/desk";

interface Props {
  /** The name under which the picture is kept; empty is none. */
  readonly name: string;
  readonly of: string;
  readonly onChange: (name: string) => void;
}

/** A picture that goes with a file or a chapter: chosen, seen small, taken away. */
export function PictureChoice({ name, of, onChange }: Props) {
  const [busy, setBusy] = useState(false);
  const take = async (event: ChangeEvent<HTMLInputElement>) => {
    const file = event.target.files?.[0];
    event.target.value = "";
    if (!file) return;
    setBusy(true);
    try {
      onChange(await api.keepPicture(file));
    } catch (error) {
      fail(error);
    } finally {
      setBusy(false);
    }
  };
  return (
    <span className="flex items-center gap-1.5">
      <label className="cursor-pointer underline decoration-dotted focus-within:outline-2">
        {busy ? "taking …" : name ? "another picture" : "picture: JPEG or PNG"}
        <input type="file" aria-label={`picture of ${of}`} accept="image/jpeg,image/png" className="sr-only" onChange={(event) => void take(event)} />
      </label>
      {name && (
        <>
          <img src={api.pictureUrl(name)} alt={of} className="h-8 w-8 object-cover" />
          <Button tone="quiet" aria-label={`remove the picture of ${of}`} onClick={() => onChange("")}>remove</Button>
        </>
      )}
    </span>
  );
}
