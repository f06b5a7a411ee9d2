import { Component, type ReactNode } from "react";
import { Notice } from "./Notice";

/** What stands in the place of a part that fell over: the rest goes on, and it can be tried again. Another `at` is another try. */
export class Fallen extends Component<{ at: string; children: ReactNode }, { wrong: Error | null; at: string }> {
  override state = { wrong: null as Error | null, at: this.props.at };

  static getDerivedStateFromError(wrong: Error) {
    return { wrong };
  }

  static getDerivedStateFromProps(props: { at: string }, state: { at: string }) {
    return props.at === state.at ? null : { wrong: null, at: props.at };
  }

  override render() {
    const { wrong } = this.state;
    if (!wrong) return this.props.children;
    return (
      <div className="pad">
        <Notice kind="bad">
          <b>This part of the screen fell over.</b> What is saved is safe, and the other screens go on. Try it again; if it falls over
          again, tell who keeps this workspace what you did. <span className="soft small">{wrong.message.slice(0, 200)}</span>
        </Notice>
        <div className="row above-8">
          <button type="button" className="press first" onClick={() => this.setState({ wrong: null })}>
            Try it again
          </button>
          <button type="button" className="press" onClick={() => window.location.reload()}>
            Load the page anew
          </button>
        </div>
      </div>
    );
  }
}
