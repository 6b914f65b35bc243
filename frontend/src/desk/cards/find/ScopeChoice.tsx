import { Choices } from "../../../ui/Choices";
import { useOpen } from "../../state/desk";
import { setScope } from "../../state/settle";

/** Whether a search is about the selection or everything, where there is a choice. */
export function ScopeChoice({ one, all }: { readonly one: string; readonly all: string }) {
  const count = useOpen((desk) => desk.targets.length);
  const scope = useOpen((desk) => desk.scope);
  if (count < 2) return null;
  return (
    <Choices
      label="what to search"
      value={scope}
      choices={[
        { value: "this", label: one },
        { value: "all", label: all, figure: count },
      ]}
      onChange={setScope}
    />
  );
}
