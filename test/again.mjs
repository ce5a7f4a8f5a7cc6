// A test that failed is run once more, and its first failure is printed: on a machine that others
// use too, a pad that gets no processor for seconds is stopped, as it should be.
import { jest } from '@jest/globals';

jest.retryTimes(1, { logErrorsBeforeRetry: true, waitBeforeRetry: 500 });
