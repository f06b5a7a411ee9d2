"""Long work: run beside requests, with progress, cancelled on request, nothing half done left behind."""
