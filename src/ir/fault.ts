/** A type that no value has, named after the fault that the compiler is to show. */
export interface Fault<Message extends string> {
  readonly fault: Message;
}
