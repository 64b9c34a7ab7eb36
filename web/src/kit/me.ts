import { useQuery } from "@tanstack/react-query";
import { api, told } from "../api/client";

/** Who is signed in, where, and when it is. */
export function useMe() {
  return useQuery({
    queryKey: ["me"],
    queryFn: () => told(api.GET("/api/me")),
    refetchInterval: 30_000,
    retry: true,
    retryDelay: 2000,
  });
}
