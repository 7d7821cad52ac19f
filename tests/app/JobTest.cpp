// Computations beside the window.
#include "app/jobs/Job.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

#include <atomic>

using namespace um;
using namespace um::app;
using test::waitUntil;

class JobTest : public QObject {
    Q_OBJECT

private slots:
    void deliversWithoutWaitingForWhatItSuperseded() {
        std::atomic<bool> wasDelivered = false, firstSawIt = false, firstEnded = false;
        Job job;
        job.start([&](const Progress&) -> Job::Delivery {
            // Deaf to its cancelling, as between two looks at its progress.
            for (int i = 0; i < 500 && !wasDelivered; ++i) std::this_thread::sleep_for(std::chrono::milliseconds(10));
            firstSawIt = wasDelivered.load();
            firstEnded = true;
            return [] { QFAIL("the result of what was superseded"); };
        });
        job.start([&](const Progress&) -> Job::Delivery { return [&] { wasDelivered = true; }; });
        QVERIFY(waitUntil([&] { return firstEnded.load(); }, 20));
        QVERIFY(firstSawIt);
        QVERIFY(!job.isRunning());
        QTest::qWait(50);
    }

    void deliversNothingOfWhatIsCancelled() {
        Job job;
        bool wasCancelled = false;
        connect(&job, &Job::cancelled, this, [&] { wasCancelled = true; });
        job.start([&](const Progress& progress) -> Job::Delivery {
            for (;;) progress.at(0.5);
        });
        job.cancel();
        QVERIFY(waitUntil([&] { return wasCancelled; }, 20));
        QVERIFY(!job.isRunning());
    }
};

UM_TEST(JobTest)
#include "JobTest.moc"
