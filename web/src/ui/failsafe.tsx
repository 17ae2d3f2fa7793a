import { Component, type ReactNode } from "react";
import { Button } from "./controls";

type Props = { what: string; page: string; children: ReactNode };

/** Keeps a failure of one place to that place: the rest stays, and another page begins afresh. */
export class Failsafe extends Component<Props, { error: Error | null }> {
  override state: { error: Error | null } = { error: null };

  static getDerivedStateFromError(error: Error) {
    return { error };
  }

  override componentDidUpdate(before: Props) {
    if (before.page !== this.props.page && this.state.error) this.setState({ error: null });
  }

  override render() {
    if (!this.state.error) return this.props.children;
    return (
      <div role="alert" className="m-6 border-l-4 border-bad px-4 py-2">
        <p className="text-bad">
          {this.props.what} could not be shown: {this.state.error.message}
        </p>
        <p className="mt-1 text-sm">Drafts are kept in this browser.</p>
        <Button className="mt-2" onClick={() => this.setState({ error: null })}>
          Try again
        </Button>
      </div>
    );
  }
}
