/** What the lanes hear of each other: measured once, before what is said on each can be told apart. */
import { api } from "../../api/client";
import { follow, stop, workStore } from "./work";

export const useListening = workStore();

/** Listen to the lanes, and say whether that went through; whoever asks while it is under way is told no. */
export const listenToLanes = async (): Promise<boolean> => (await follow(useListening, api.listen)) !== null;
export const stopListening = (): Promise<void> => stop(useListening);
