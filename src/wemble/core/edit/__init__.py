"""The job as frozen values, and every edit as a pure function from job to job."""
