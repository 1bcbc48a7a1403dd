import { useOwn } from "../../app/scope";
import { Choice } from "../../parts/Choice";

export const OVER = ["candidates", "classes"] as const;

/** Whether candidates stand over each other on one class, or the classes of one candidate. */
export function Over() {
  const [over, choose] = useOwn("over", OVER);
  return (
    <Choice
      name="over each other"
      value={over}
      options={[
        ["candidates", "candidates on one class"],
        ["classes", "classes of one candidate"],
      ]}
      onChange={choose}
    />
  );
}
