package yardage.core.exec;

import java.util.ArrayList;
import java.util.List;
import java.util.stream.IntStream;
import yardage.core.column.Batch;
import yardage.core.plan.GivenRows;
import yardage.core.plan.PlanNode;

/** Plans that are a little smaller than another: a part of it, or the same over fewer rows. */
final class Reductions {
  private Reductions() {}

  /** The largest steps first, so that few are tried. */
  static List<PlanNode> of(PlanNode plan) {
    List<PlanNode> out = new ArrayList<>(inputs(plan));
    List<PlanNode.Scan> scans = scans(plan);
    for (int share : new int[] {2, 4, 16}) {
      for (PlanNode.Scan scan : scans) {
        List<Batch> batches = batches(scan);
        int rows = batches.stream().mapToInt(Batch::rowCount).sum();
        if (rows == 0 || share > 2 && rows < share) {
          continue;
        }
        int piece = Math.max(1, rows / share);
        for (int from = 0; from < rows; from += piece) {
          out.add(with(plan, scan, without(scan, batches, from, from + piece)));
        }
      }
    }
    return out;
  }

  private static List<Batch> batches(PlanNode.Scan scan) {
    GivenRows given = (GivenRows) scan.source();
    return IntStream.range(0, given.frames().size()).mapToObj(given::batch).toList();
  }

  private static PlanNode.Scan without(PlanNode.Scan scan, List<Batch> batches, int from, int to) {
    List<Batch> left = new ArrayList<>();
    int at = 0;
    for (Batch batch : batches) {
      int first = at;
      int[] rows =
          IntStream.range(0, batch.rowCount())
              .filter(r -> first + r < from || first + r >= to)
              .toArray();
      if (rows.length > 0) {
        left.add(batch.gather(rows, rows.length));
      }
      at += batch.rowCount();
    }
    return new PlanNode.Scan(GivenRows.of(scan.schema(), left), scan.schema(), scan.step());
  }

  static List<PlanNode.Scan> scans(PlanNode plan) {
    if (plan instanceof PlanNode.Scan scan) {
      return List.of(scan);
    }
    return inputs(plan).stream().flatMap(i -> scans(i).stream()).distinct().toList();
  }

  private static List<PlanNode> inputs(PlanNode plan) {
    return plan.accept(
        new PlanNode.Visitor<List<PlanNode>>() {
          @Override
          public List<PlanNode> scan(PlanNode.Scan scan) {
            return List.of();
          }

          @Override
          public List<PlanNode> filter(PlanNode.Filter filter) {
            return List.of(filter.input());
          }

          @Override
          public List<PlanNode> project(PlanNode.Project project) {
            return List.of(project.input());
          }

          @Override
          public List<PlanNode> join(PlanNode.Join join) {
            return List.of(join.left(), join.right());
          }

          @Override
          public List<PlanNode> aggregate(PlanNode.Aggregate aggregate) {
            return List.of(aggregate.input());
          }

          @Override
          public List<PlanNode> dedupe(PlanNode.Deduplicate dedupe) {
            return List.of(dedupe.input());
          }

          @Override
          public List<PlanNode> union(PlanNode.Union union) {
            return union.inputs();
          }

          @Override
          public List<PlanNode> sort(PlanNode.Sort sort) {
            return List.of(sort.input());
          }

          @Override
          public List<PlanNode> border(PlanNode.Border border) {
            return List.of(border.input());
          }

          @Override
          public List<PlanNode> kept(PlanNode.Kept kept) {
            return List.of(kept.input());
          }

          @Override
          public List<PlanNode> apply(PlanNode.Apply apply) {
            return List.of(apply.input());
          }

          @Override
          public List<PlanNode> whole(PlanNode.Whole whole) {
            return List.of(whole.input());
          }
        });
  }

  /** The plan with another node in the place of one, wherever it stands. */
  private static PlanNode with(PlanNode plan, PlanNode.Scan old, PlanNode.Scan now) {
    return plan.accept(
        new PlanNode.Visitor<PlanNode>() {
          private PlanNode in(PlanNode node) {
            return with(node, old, now);
          }

          @Override
          public PlanNode scan(PlanNode.Scan scan) {
            return scan.step().equals(old.step()) ? now : scan;
          }

          @Override
          public PlanNode filter(PlanNode.Filter f) {
            return new PlanNode.Filter(in(f.input()), f.condition(), f.single(), f.step());
          }

          @Override
          public PlanNode project(PlanNode.Project p) {
            return new PlanNode.Project(in(p.input()), p.expressions(), p.schema());
          }

          @Override
          public PlanNode join(PlanNode.Join j) {
            return new PlanNode.Join(in(j.left()), in(j.right()), j.spec());
          }

          @Override
          public PlanNode aggregate(PlanNode.Aggregate a) {
            return new PlanNode.Aggregate(in(a.input()), a.spec());
          }

          @Override
          public PlanNode dedupe(PlanNode.Deduplicate d) {
            return new PlanNode.Deduplicate(in(d.input()), d.spec());
          }

          @Override
          public PlanNode union(PlanNode.Union u) {
            return new PlanNode.Union(u.inputs().stream().map(this::in).toList(), u.schema());
          }

          @Override
          public PlanNode sort(PlanNode.Sort s) {
            return new PlanNode.Sort(in(s.input()), s.spec());
          }

          @Override
          public PlanNode border(PlanNode.Border b) {
            return new PlanNode.Border(in(b.input()), b.outOf(), b.into(), b.right());
          }

          @Override
          public PlanNode kept(PlanNode.Kept k) {
            return new PlanNode.Kept(in(k.input()), k.name(), k.step());
          }

          @Override
          public PlanNode apply(PlanNode.Apply a) {
            return new PlanNode.Apply(in(a.input()), a.what(), a.schema(), a.step());
          }

          @Override
          public PlanNode whole(PlanNode.Whole w) {
            return new PlanNode.Whole(in(w.input()), w.spec());
          }
        });
  }
}
