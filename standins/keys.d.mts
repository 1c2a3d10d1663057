export function makeKeyPair(): { private: string; public: string };
