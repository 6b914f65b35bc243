import { type FindBy, useOpen } from "../../state/desk";
import { setFindBy } from "../../state/settle";

/** What the step Find looks for: no brief hides the other. */
export function FindBySelect() {
  const findBy = useOpen((desk) => desk.findBy);
  return (
    <select aria-label="what to find" className="rounded-(--radius) border border-rule bg-sheet px-1 py-0.5 text-xs" value={findBy} onChange={(event) => setFindBy(event.target.value as FindBy)}>
      <option value="sound">sound and silence</option>
      <option value="hits">hits</option>
    </select>
  );
}
