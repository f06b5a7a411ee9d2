"""Where accounts come from beside here: directories, provisioning clients and providers to sign in by (accounts.md 16 to 21)."""
