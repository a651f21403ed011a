use crate::judge::{Check, Circumstance, Out, Rule, Verdict, Ways};
use crate::severity::Severity;
use crate::understand::{Analysis, Grant};

pub(super) static RULE: Rule = Rule {
    id: "power/cluster-rights",
    title: "server's account has rights in the whole cluster",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "service account {account} of a tool server has {role} in every namespace: {what}",
    why: "Whoever steers the model steers the server, and with its account whatever else runs in the cluster.",
    fix: "Bind a role with the few verbs that its tools need, in its own namespace, and mount no token where it needs none.",
    before: r#"{ "apiVersion": "v1", "kind": "List", "items": [{ "apiVersion": "v1", "kind": "Pod", "metadata": { "name": "tide-mcp", "namespace": "harbour" }, "spec": { "serviceAccountName": "tide", "containers": [{ "name": "tide-mcp", "image": "saltmarsh/tide-table:2.4.1" }] } }, { "apiVersion": "rbac.authorization.k8s.io/v1", "kind": "ClusterRoleBinding", "metadata": { "name": "tide" }, "roleRef": { "kind": "ClusterRole", "name": "cluster-admin" }, "subjects": [{ "kind": "ServiceAccount", "name": "tide", "namespace": "harbour" }] }] }"#,
    after: r#"{ "apiVersion": "v1", "kind": "List", "items": [{ "apiVersion": "v1", "kind": "Pod", "metadata": { "name": "tide-mcp", "namespace": "harbour" }, "spec": { "serviceAccountName": "tide", "containers": [{ "name": "tide-mcp", "image": "saltmarsh/tide-table:2.4.1" }] } }, { "apiVersion": "rbac.authorization.k8s.io/v1", "kind": "ClusterRoleBinding", "metadata": { "name": "tide" }, "roleRef": { "kind": "ClusterRole", "name": "view" }, "subjects": [{ "kind": "ServiceAccount", "name": "tide", "namespace": "harbour" }] }] }"#,
    references: &["CWE-250", "NIST SP 800-190, 4.3.1"],
    ways: Ways::OF_CALLERS,
    check: Check::Setup(check),
};

fn check(analysis: &Analysis, out: &mut Out<'_>) {
    for binding in analysis.exposure.cluster.iter().flat_map(|cluster| &cluster.bindings) {
        let (Some(account), Some(grant)) = (&binding.account, binding.grant) else { continue };
        let what = match grant {
            Grant::Everything => "it may do everything",
            Grant::Changes => "it may change what runs, and so become whatever runs",
            Grant::Secrets => "it may read every secret",
        };
        out.hit(&binding.role)
            .arg("account", account)
            .arg("role", &binding.role.text)
            .arg("what", what)
            .circumstance_if(grant == Grant::Everything, Circumstance::Admin);
    }
}
